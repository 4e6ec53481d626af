"""What a watcher can count: requests, picture times, jobs, memory, disk. Source: Prometheus text format 0.0.4."""

from __future__ import annotations

import logging
import time
from collections.abc import Iterable
from typing import TYPE_CHECKING

import psutil
from flask import Flask, Response, g, request
from peewee import fn
from prometheus_client import CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

from amber_thicket.formats.apart import helpers
from amber_thicket.store.models import Job, Material

if TYPE_CHECKING:
    from amber_thicket.web.services import Services

_SECONDS = (0.01, 0.025, 0.05, 0.1, 0.2, 0.5, 1.0, 2.5, 5.0, 10.0, 30.0)
_METHODS = ("GET", "HEAD", "POST", "PATCH", "PUT", "DELETE", "OPTIONS")
log = logging.getLogger("amber_thicket.requests")


class Metrics:
    """The counters of one application, in a registry of their own."""

    def __init__(self) -> None:
        self._registry = CollectorRegistry()
        self._requests = Counter(
            "thicket_requests", "Requests answered.", ("method", "route", "status"), registry=self._registry
        )
        self._seconds = Histogram(
            "thicket_request_seconds", "Seconds to an answer.", ("route",), buckets=_SECONDS, registry=self._registry
        )
        self._pictures = Histogram(
            "thicket_picture_seconds", "Seconds to a picture.", buckets=_SECONDS, registry=self._registry
        )

    def watch(self, app: Flask, services: Services) -> None:
        """Count every request of an application, and write a line about each at level debug."""
        self._registry.register(_State(services))

        @app.before_request
        def begun() -> None:
            g.begun = time.perf_counter()

        @app.after_request
        def counted(response: Response) -> Response:
            seconds = time.perf_counter() - g.get("begun", time.perf_counter())
            route = request.url_rule.rule if request.url_rule else "none"
            # Senders may make methods up; a counter for each would fill the memory.
            method = request.method if request.method in _METHODS else "other"
            self._requests.labels(method, route, response.status_code).inc()
            self._seconds.labels(route).observe(seconds)
            if response.mimetype in ("image/jpeg", "image/png"):
                self._pictures.observe(seconds)
            # The path alone: a query may hold an access token.
            log.debug(
                "%s %s %d %.0f ms %s",
                request.method,
                request.path,
                response.status_code,
                seconds * 1e3,
                request.remote_addr,
            )
            return response

    def text(self) -> bytes:
        """All of them, in Prometheus' text format."""
        return generate_latest(self._registry)


class _State(Collector):
    """What is asked anew at every look."""

    def __init__(self, services: Services) -> None:
        self._services = services

    def collect(self) -> Iterable[Metric]:
        services = self._services
        jobs = GaugeMetricFamily("thicket_jobs", "Jobs by state.", labels=["state"])
        counts: dict[str, int] = dict(Job.select(Job.state, fn.COUNT(Job.id)).group_by(Job.state).tuples().iterator())
        for state in ("queued", "running", "done", "failed", "cancelled"):
            jobs.add_metric([state], counts.get(state, 0))
        yield jobs
        yield GaugeMetricFamily("thicket_materials", "Materials in the library.", value=Material.select().count())
        memory = GaugeMetricFamily("thicket_memory_bytes", "Resident memory by process.", labels=["process"])
        memory.add_metric(["server"], _resident([psutil.Process().pid]))
        memory.add_metric(["worker"], _resident([services.jobs.worker_pid] if services.jobs.worker_pid else []))
        memory.add_metric(["readers"], _resident(helpers()))
        yield memory
        yield GaugeMetricFamily("thicket_results_bytes", "Results kept in memory.", value=services.library.memory.held)
        yield GaugeMetricFamily("thicket_disk_free_bytes", "Room on the disk.", value=services.disk.free)
        yield GaugeMetricFamily("thicket_event_streams", "Open event streams.", value=services.events.streams)


def _resident(pids: Iterable[int]) -> int:
    total = 0
    for pid in pids:
        try:
            total += psutil.Process(pid).memory_info().rss
        except psutil.Error:
            continue
    return total
