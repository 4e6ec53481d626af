"""Blobs in an object store that speaks the S3 interface, so that servers and workers on several machines share them.

Whose keys, which region and which server are boto3's usual settings (AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY,
AWS_REGION, AWS_ENDPOINT_URL).
"""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

from amber_thicket.errors import BadSetting, ServiceAway, WriteFailed
from amber_thicket.store.blobs import DAMAGED, INCOMING, NAME, Blobs, Kept

_PART = 1 << 20


class S3Blobs(Blobs):
    """Objects PREFIX/abcdef… of one bucket. address: s3://bucket/prefix.

    Raises BadSetting for no such address or without boto3, ServiceAway where the store does not answer.
    """

    # Objects a listing tells at a time.
    PAGE = 1000

    def __init__(self, folder: Path, address: str) -> None:
        super().__init__(folder)
        self.address = address
        scheme, _, rest = address.partition("://")
        self._bucket, _, prefix = rest.partition("/")
        self._prefix = f"{prefix.strip('/')}/" if prefix.strip("/") else ""
        if scheme != "s3" or not self._bucket:
            raise BadSetting(f"“{address}” is no object store.", remedy="Give s3://bucket/prefix.", setting="blobs")
        self._client = _client()
        try:
            with self._answering():
                self._client.head_bucket(Bucket=self._bucket)
        except FileNotFoundError:
            raise self._away("there is no such bucket") from None

    def _key(self, name: str) -> str:
        self._check_name(name)
        return self._prefix + name

    @contextlib.contextmanager
    def _answering(self) -> Iterator[None]:
        """What goes wrong there, as ServiceAway; what is not there stays FileNotFoundError."""
        from botocore.exceptions import BotoCoreError, ClientError

        try:
            yield
        except ClientError as error:
            code = error.response.get("Error", {}).get("Code", "")
            if code in ("404", "NoSuchKey"):
                raise FileNotFoundError(str(error)) from None
            raise self._away(code or str(error)) from error
        except BotoCoreError as error:
            raise self._away(type(error).__name__) from error

    def _away(self, why: str) -> ServiceAway:
        return ServiceAway(
            f"The store {self.address} does not answer ({why}).",
            remedy="Check that it runs, that the bucket is there, and whose keys are set.",
        )

    def _keep(self, path: Path, name: str) -> None:
        from boto3.exceptions import Boto3Error

        try:
            with self._answering():
                self._client.upload_file(str(path), self._bucket, self._key(name))
        except Boto3Error as error:
            raise WriteFailed(
                f"The store {self.address} did not take the file ({error}).", remedy="Make room there, or try again."
            ) from error

    def _read(self, name: str) -> Iterator[bytes]:
        with self._answering():
            body = self._client.get_object(Bucket=self._bucket, Key=self._key(name))["Body"]
            with contextlib.closing(body):
                yield from body.iter_chunks(_PART)

    def open(self, name: str) -> BinaryIO:
        self._check_sound(name)
        # Its reader closes it, and with that it is gone.
        file = tempfile.TemporaryFile(dir=self.folder / INCOMING)  # noqa: SIM115
        try:
            for part in self._read(name):
                file.write(part)
            file.seek(0)
        except BaseException:
            file.close()
            raise
        return file

    def kept(self, name: str) -> Kept | None:
        try:
            with self._answering():
                found = self._client.head_object(Bucket=self._bucket, Key=self._key(name))
        except FileNotFoundError:
            return None
        changed = found["LastModified"].timestamp()
        return Kept(int(found["ContentLength"]), changed, f"{found['ETag']} {changed}")

    def listed(self) -> Iterator[tuple[str, int, float]]:
        with self._answering():
            pages = self._client.get_paginator("list_objects_v2").paginate(
                Bucket=self._bucket, Prefix=self._prefix, PaginationConfig={"PageSize": self.PAGE}
            )
            for page in pages:
                for found in page.get("Contents", ()):
                    name = found["Key"][len(self._prefix) :]
                    if NAME.fullmatch(name):
                        yield name, int(found["Size"]), found["LastModified"].timestamp()

    def _remove(self, name: str) -> None:
        with self._answering():
            self._client.delete_object(Bucket=self._bucket, Key=self._key(name))

    def _renew(self, name: str) -> None:
        key = self._key(name)
        with self._answering():
            # An object's time is that of its writing: it is written onto itself.
            self._client.copy_object(
                Bucket=self._bucket,
                Key=key,
                CopySource={"Bucket": self._bucket, "Key": key},
                MetadataDirective="REPLACE",
            )

    def set_aside(self, name: str) -> str:
        key, target = self._key(name), f"{self._prefix}{DAMAGED}/{name}"
        with self._answering():
            self._client.copy_object(Bucket=self._bucket, Key=target, CopySource={"Bucket": self._bucket, "Key": key})
            self._client.delete_object(Bucket=self._bucket, Key=key)
        return f"s3://{self._bucket}/{target}"


def _client() -> Any:
    try:
        import boto3
        from botocore.config import Config
    except ImportError:
        raise BadSetting(
            "An object store needs the package boto3.", remedy="Install amber-thicket[s3].", setting="blobs"
        ) from None
    return boto3.client("s3", config=Config(retries={"max_attempts": 3, "mode": "standard"}, connect_timeout=5))
