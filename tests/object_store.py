"""A simulated object store on this machine, with one bucket, for as long as a test runs.

The server is moto's, a library that stands in for the S3 interface; nothing leaves the machine.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

import boto3
from moto.server import ThreadedMotoServer

BUCKET = "amber-thicket-test"
ENVIRONMENT = {
    "AWS_ACCESS_KEY_ID": "simulated",
    "AWS_SECRET_ACCESS_KEY": "simulated",
    "AWS_REGION": "us-east-1",
    "AWS_DEFAULT_REGION": "us-east-1",
}


@contextmanager
def object_store() -> Iterator[str]:
    """Its address; whoever asks boto3 for a client within gets one of it."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    address = f"http://{host}:{port}"
    try:
        with mock.patch.dict(os.environ, {**ENVIRONMENT, "AWS_ENDPOINT_URL": address}):
            # The server keeps what earlier tests left, as it lives in this process.
            client = boto3.client("s3")
            client.create_bucket(Bucket=BUCKET)
            for page in client.get_paginator("list_objects_v2").paginate(Bucket=BUCKET):
                for row in page.get("Contents", ()):
                    client.delete_object(Bucket=BUCKET, Key=row["Key"])
            yield address
    finally:
        server.stop()
