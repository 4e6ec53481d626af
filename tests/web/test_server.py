"""The program as it is served: streams, many pages, ending in order, one server a folder, what a watcher sees."""

import gc
import json
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil

from amber_thicket.blocks import loading
from amber_thicket.jobs.queue import open_queue
from tests.program import Program, run_command
from tests.support import BUSY, encoded, limited, photograph, retry

PHOTO = encoded(photograph("gravel"))


@contextmanager
def stream(port: int, more: str = "") -> Iterator[socket.socket]:
    """An open event stream."""
    with socket.create_connection(("127.0.0.1", port), timeout=20 * BUSY) as line:
        line.sendall(f"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n{more}\r\n".encode())
        yield line


def heard(line: socket.socket, until: str) -> str:
    text = ""
    while until not in text:
        part = line.recv(65536)
        if not part:
            break
        text += part.decode()
    return text


class ServedTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def started(self, *options: str) -> Program:
        program = Program(self.folder / "library", *options)
        self.addCleanup(program.kill)
        program.start()
        return program


class StartTest(unittest.TestCase):
    def test_the_page_waits_for_no_compiler_and_no_client_of_redis(self) -> None:
        code = (
            "import json, sys, tempfile; from pathlib import Path; from amber_thicket.web.app import Config, create_app;"
            "app = create_app(Config(Path(tempfile.mkdtemp()), worker=False));"
            "assert app.test_client().get('/api/about').status_code == 200;"
            "print(json.dumps(sorted({'numba', 'redis', 'scipy'} & set(sys.modules))))"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(json.loads(done.stdout), [])

    def test_a_queue_over_redis_has_its_client_though_huey_was_loaded_without(self) -> None:
        queue = open_queue(Path("unused"), "redis://127.0.0.1:9/0")
        self.assertEqual(type(queue.storage.conn).__module__.partition(".")[0], "redis")

    def test_what_was_loaded_is_left_to_itself_by_the_collector(self) -> None:
        before = gc.get_freeze_count()
        with loading():
            self.assertFalse(gc.isenabled())
            kept = [[] for _ in range(1000)]
        self.assertTrue(gc.isenabled())
        self.assertGreaterEqual(gc.get_freeze_count() - before, len(kept))
        gc.unfreeze()


class StreamTest(ServedTest):
    def test_streams_tell_and_refuse_strangers(self) -> None:
        program = self.started("--no-worker")
        with stream(program.port) as line:
            head = heard(line, "id: ")
            self.assertIn("200", head.split("\r\n")[0])
            self.assertIn("text/event-stream", head)
            self.assertIn("default-src 'self'", head)
            program.ask("/api/materials?file=gravel.png", data=PHOTO)
            told = heard(line, "event: library")
            mark = re.findall(r"id: (\S+)", told)[-1]
            made = json.loads(re.findall(r"data: (.*)", told)[-1])["id"]
        with stream(program.port, "Origin: http://x\r\nHost: evil.example\r\n") as line:
            self.assertIn("403" if "403" in (answer := heard(line, "}")) else "400", answer.split("\r\n")[0])
        # A page that comes back hears what it missed; a page without a stream asks for it.
        program.ask(f"/api/materials/{made}/archive", data={})
        with stream(program.port, f"Last-Event-ID: {mark}\r\n") as line:
            self.assertIn(made, heard(line, "event: library"))
        since = program.ask(f"/api/events/since?mark={mark}").json
        self.assertEqual([event["kind"] for event in since["events"]], ["library"])
        self.assertEqual(program.ask(f"/api/events/since?mark={since['mark']}").json["events"], [])
        self.assertTrue(program.ask("/api/events/since?mark=other-3").json["missed"])

    def test_many_open_pages_and_idle_connections_leave_answers_as_they_were(self) -> None:
        """Sixty-four of each, twice as many as there are threads; 300 of each in ./run harden, with times."""
        program = self.started("--no-worker")
        lines = []
        for number in range(128):
            line = socket.create_connection(("127.0.0.1", program.port), timeout=20 * BUSY)
            self.addCleanup(line.close)
            if number % 2:
                line.sendall(f"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1:{program.port}\r\n\r\n".encode())
                lines.append(line)
        for line in lines:
            self.assertIn("200", heard(line, "id: ").split("\r\n")[0])
        self.assertEqual(program.ask("/api/about", seconds=10).status, 200)
        text = program.ask("/metrics", seconds=10).body.decode()
        self.assertIn("thicket_event_streams 64.0", text)
        for line in lines:
            line.close()
        retry(lambda: "thicket_event_streams 0.0" in program.ask("/metrics").body.decode(), 15)

    def test_small_answers_do_not_wait_for_the_other_sides_word(self) -> None:
        """With Nagle's algorithm each small answer waits 40 ms; the event loop switches it off for sockets named TCP."""
        from amber_thicket.web.config import Config
        from amber_thicket.web.server import listen

        with listen(Config(self.folder, port=0)) as found:
            self.assertEqual(found.proto, socket.IPPROTO_TCP)
            with socket.create_connection(found.getsockname()), found.accept()[0] as line:
                self.assertEqual(line.proto, socket.IPPROTO_TCP)

    def test_a_page_too_many_is_told_to_ask(self) -> None:
        from amber_thicket.web.events import Events

        events = Events(most_streams=1)
        self.assertFalse(events.full)
        events._waiting.add(threading.Event())  # type: ignore[arg-type]
        self.assertTrue(events.full)

    def test_what_is_too_long_ago_counts_as_missed(self) -> None:
        from amber_thicket.web.events import Events

        events = Events()
        first = events.since("")
        self.assertTrue(first["missed"])
        for number in range(401):
            events.announce("job", {"id": number})
        told = events.since(first["mark"])
        self.assertEqual((told["missed"], len(told["events"]), told["events"][0]["data"]["id"]), (True, 400, 1))


class EndTest(ServedTest):
    def test_ends_in_order_and_goes_on_where_it_was(self) -> None:
        program = self.started()
        made = program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        changes = {"square.size.width": 4096, "square.size.height": 4096}
        made = program.ask(
            f"/api/materials/{made['id']}/recipe",
            data={"revision": made["revision"], "changes": changes},
            method="PATCH",
        ).json
        job = program.ask(f"/api/materials/{made['id']}/pack", data={"revision": made["revision"]}).json["id"]
        retry(lambda: program.ask("/api/jobs").json[0]["state"] == "running", 30)
        assert program.process
        children = psutil.Process(program.process.pid).children(recursive=True)
        self.assertGreaterEqual(len(children), 2, "a worker, and a reader of files")
        with stream(program.port) as line:
            heard(line, "id: ")
            self.assertEqual(program.end(5), 0)
            heard(line, "never")
        with limited(5):
            gone, alive = psutil.wait_procs(children, timeout=5 * BUSY)
        self.assertEqual(alive, [])
        program.start()
        row = next(row for row in program.ask("/api/jobs").json if row["id"] == job)
        self.assertIn(row["state"], ("queued", "running"))
        retry(lambda: program.ask("/api/jobs").json[0]["state"] == "done", 120)

    def test_a_request_under_way_is_finished(self) -> None:
        """Half of it has been sent when the server is told to end; it says to go on (RFC 9110, 10.1.1) once it has it."""
        program = self.started("--no-worker")
        assert program.process
        made = program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        body = json.dumps({"revision": made["revision"], "changes": {"tile.join.feather": 4.0}}).encode()
        head = f"PATCH /api/materials/{made['id']}/recipe HTTP/1.1\r\nHost: 127.0.0.1:{program.port}\r\n"
        head += f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\nExpect: 100-continue\r\n\r\n"
        with socket.create_connection(("127.0.0.1", program.port), timeout=20 * BUSY) as line:
            line.sendall(head.encode())
            self.assertIn(" 100 ", heard(line, "\r\n\r\n"))
            line.sendall(body[:10])
            program.process.terminate()
            time.sleep(0.2)
            line.sendall(body[10:])
            self.assertIn(" 200 ", heard(line, "\r\n\r\n"))
        with limited(10):
            self.assertEqual(program.process.wait(timeout=10 * BUSY), 0)
        program.start()
        kept = program.ask(f"/api/materials/{made['id']}").json
        self.assertEqual(kept["revision"], made["revision"] + 1)

    def test_told_to_end_at_once(self) -> None:
        """The moment it says where it is, it may be told to end."""
        program = Program(self.folder / "library", "--no-worker")
        self.addCleanup(program.kill)
        for _ in range(3):
            program.start()
            self.assertEqual(program.end(6), 0)

    def test_second_server_says_who_holds_the_folder(self) -> None:
        program = self.started("--no-worker")
        assert program.process
        done = run_command("serve", "--data", str(self.folder / "library"), "--port", "0")
        self.assertEqual(done.returncode, 16)
        self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
        self.assertIn(str(program.process.pid), done.stderr)
        self.assertIn(str(program.port), done.stderr)
        # The lock goes with its holder, however that ends.
        program.kill()
        program.start()

    def test_a_port_that_is_taken(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as taken:
            port = taken.getsockname()[1]
            done = run_command("serve", "--data", str(self.folder / "other"), "--port", str(port))
        self.assertEqual((done.returncode, len(done.stderr.strip().splitlines())), (2, 1))
        self.assertIn("--port", done.stderr)

    def test_a_worker_that_is_left_alone_leaves(self) -> None:
        program = self.started()
        assert program.process
        worker = next(child for child in psutil.Process(program.process.pid).children() if "worker" in child.cmdline())
        program.process.kill()
        with limited(20):
            worker.wait(timeout=20 * BUSY)


class WatchTest(ServedTest):
    def test_health_metrics_log_and_unknown_addresses(self) -> None:
        log = self.folder / "thicket.log"
        program = self.started("--log-level", "debug", "--log-file", str(log))
        retry(lambda: program.ask("/healthz").status == 200, 20)
        told = program.ask("/healthz").json
        self.assertEqual(told, {"status": "ok", "database": "ok", "queue": "ok", "worker": "ok", "disk": "ok"})
        made = program.ask("/api/materials?file=gravel.png", data=PHOTO).json
        program.ask(f"/api/materials/{made['id']}/picture/base_color.jpg")
        text = program.ask("/metrics").body.decode()
        for line in (
            'thicket_requests_total{method="POST",route="/api/materials",status="200"} 1.0',
            "thicket_picture_seconds_count 1.0",
            "thicket_materials 1.0",
            'thicket_jobs{state="queued"} 0.0',
        ):
            self.assertIn(line, text)
        server = float(re.findall(r'thicket_memory_bytes{process="server"} (\S+)', text)[0])
        assert program.process
        self.assertAlmostEqual(server / psutil.Process(program.process.pid).memory_info().rss, 1, delta=0.3)
        for path, wanted in (("/", 200), ("/m/abc", 200), ("/audit", 200), ("/space", 200), ("/m/a/b", 404),
                             ("/nothing", 404), ("/assets/no.js", 404), ("/api/nothing", 404),
                             ("/" + "a" * 6000, 404)):  # fmt: skip
            self.assertEqual(program.ask(path).status, wanted, path[:40])
        program.ask("/api/materials?token=secret")
        lines = log.read_text().splitlines()
        self.assertTrue(all(re.match(r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d,\d{3} [A-Z]+ ", line) for line in lines))
        self.assertTrue(
            any(re.search(r"DEBUG .*: POST /api/materials 200 \d+ ms 127\.0\.0\.1$", line) for line in lines)
        )
        self.assertNotIn("secret", log.read_text())

    def test_a_reference_number_finds_its_line(self) -> None:
        from amber_thicket.web.app import create_app
        from amber_thicket.web.config import Config

        app = create_app(Config(self.folder / "library", worker=False, memory=100_000_000))
        self.addCleanup(app.extensions["thicket"].close)
        app.extensions["thicket"].library.get = lambda id: 1 / 0
        with self.assertLogs("amber_thicket.web.errors", "ERROR") as logged:
            answer = app.test_client().get("/api/materials/a").get_json()
        self.assertIn(answer["reference"], answer["detail"])
        self.assertIn(answer["reference"], logged.output[0])
        self.assertIn("ZeroDivisionError", logged.output[0])

    def test_health_says_what_is_not_well(self) -> None:
        program = self.started("--no-worker")
        told = program.ask("/healthz")
        self.assertEqual((told.status, told.json["worker"]), (200, "elsewhere"))
