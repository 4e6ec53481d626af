"""Who gets in: hosts, origins, tokens; and what a refused request learns."""

import unittest
from typing import Any

from flask.testing import FlaskClient

from amber_thicket.errors import NotAllowed, TooManyTries
from amber_thicket.service.tokens import add_token, list_tokens, revoke_token
from amber_thicket.web.config import Config
from amber_thicket.web.guard import Guard, Request, WrongTries, own_names, split_host, split_origin
from tests.web.test_app import PHOTO, AppTest

TOKEN = "sesame-of-the-ropewalk"


class RefusedTest(AppTest):
    config = {"token": TOKEN, "host": "127.0.0.2"}

    def get(self, path: str, **headers: str) -> Any:
        return self.client.get(path, headers={"Host": "127.0.0.2:8760", **headers})

    def test_a_refused_request_learns_nothing(self) -> None:
        for path in ("/api/materials?token=x", "/?token=x", "/api/materials", "/nothing?token="):
            answer = self.get(path)
            self.assertEqual(answer.status_code, 403, path)
            self.assertNotIn("Set-Cookie", answer.headers)
            self.assertNotIn(TOKEN, answer.text + str(answer.headers))

    def test_a_right_token_becomes_a_cookie_and_leaves_the_address(self) -> None:
        answer = self.get(f"/m/abc?look=2&token={TOKEN}&look=3")
        self.assertEqual((answer.status_code, answer.headers["Location"]), (303, "/m/abc?look=2&look=3"))
        cookie = answer.headers["Set-Cookie"]
        self.assertIn(TOKEN, cookie)
        for word in ("HttpOnly", "SameSite=Lax"):
            self.assertIn(word, cookie)
        self.assertNotIn("Secure", cookie)
        answer = self.client.get(f"/?token={TOKEN}", base_url="https://127.0.0.2:8760")
        self.assertIn("Secure", answer.headers["Set-Cookie"])

    def test_the_redirect_leads_nowhere_else(self) -> None:
        for path in (f"//evil.example/?token={TOKEN}", f"/\\evil.example?token={TOKEN}"):
            location = self.get(path).headers.get("Location", "/")
            self.assertFalse(location.startswith(("//", "/\\", "http")), location)

    def test_a_person_gets_a_page_and_a_program_problem_details(self) -> None:
        # As Chromium sends it.
        browser = "text/html,application/xhtml+xml,application/xml;q=0.9,image/avif,image/webp,*/*;q=0.8,application/signed-exchange;v=b3;q=0.7"
        for path, accept, wanted in (
            ("/", browser, "text/html"),
            ("/m/abc", browser, "text/html"),
            ("/", "*/*", "application/problem+json"),
            ("/api/materials", browser, "application/problem+json"),
        ):
            answer = self.get(path, Accept=accept)
            self.assertEqual((answer.status_code, answer.mimetype), (403, wanted), path)
            self.assertIn("An access token is needed", answer.text)
            self.assertIn("default-src 'self'", answer.headers["Content-Security-Policy"])
        answer = self.get("/<script>alert(1)</script>", Accept=browser, Authorization=f"Bearer {TOKEN}")
        self.assertEqual((answer.status_code, "<script" in answer.text), (404, False))

    def test_nothing_of_the_address_gets_into_the_headers(self) -> None:
        answer = self.get(f"/%0d%0aX-Evil:%20yes/ü?token={TOKEN}&b=%0d%0a")
        self.assertEqual((answer.status_code, answer.headers.get("X-Evil")), (303, None))
        self.assertEqual(answer.headers["Location"], "/%0D%0AX-Evil%3A%20yes/%C3%BC?b=%0D%0A")

    def test_a_right_bearer_counts_beside_a_wrong_cookie(self) -> None:
        self.client.set_cookie("amber_thicket_8760", "old", domain="127.0.0.2")
        self.assertEqual(self.get("/api/materials", Authorization=f"Bearer {TOKEN}").status_code, 200)
        self.assertEqual(self.get("/api/materials", Authorization=f"bearer {TOKEN}").status_code, 200)
        self.assertEqual(self.get("/api/materials").status_code, 403)

    def test_a_changing_request_may_bring_its_token_in_the_address(self) -> None:
        answer = self.client.post(
            f"/api/groups?token={TOKEN}", json={"names": ["a.png"]}, headers={"Host": "127.0.0.2"}
        )
        self.assertEqual(answer.status_code, 200)

    def test_health_is_told_to_everybody_and_metrics_are_not(self) -> None:
        self.assertIn(self.get("/healthz").status_code, (200, 503))
        self.assertEqual(self.get("/metrics").status_code, 403)
        text = self.get("/metrics", Authorization=f"Bearer {TOKEN}").text
        self.assertIn("thicket_disk_free_bytes", text)
        for number in range(5):
            self.client.open("/api/about", method=f"MADEUP{number}", headers={"Host": "127.0.0.2"})
        text = self.get("/metrics", Authorization=f"Bearer {TOKEN}").text
        self.assertNotIn("MADEUP", text)
        self.assertIn('method="other"', text)

    def test_wrong_tokens_are_slowed(self) -> None:
        statuses = [self.get("/api/materials?token=wrong").status_code for _ in range(7)]
        self.assertEqual(statuses, [403] * 5 + [429] * 2)
        answer = self.get(f"/api/materials?token={TOKEN}")
        self.assertEqual(answer.status_code, 429, "a right one is not told from wrong ones meanwhile")
        self.assertGreaterEqual(int(answer.headers["Retry-After"]), 1)
        # Another address is not kept waiting.
        other = self.client.get("/api/materials", headers={"Host": "127.0.0.2", "Authorization": f"Bearer {TOKEN}"}, environ_base={"REMOTE_ADDR": "10.0.0.9"})  # fmt: skip
        self.assertEqual(other.status_code, 200)


class PeopleTest(AppTest):
    config = {"token": TOKEN, "host": "127.0.0.2"}

    def asks(self, client: FlaskClient, token: str) -> int:
        return client.get("/api/materials", headers={"Host": "127.0.0.2", "Authorization": f"Bearer {token}"}).status_code  # fmt: skip

    def test_a_token_of_ones_own_can_be_taken_back(self) -> None:
        with self.services.library.database.connection_context():
            mine, other = add_token("Ada"), add_token("Bo")
            from amber_thicket.store.models import Token

            self.assertNotIn(mine, {row.digest for row in Token.select()}, "only its hash is kept")
        self.assertEqual([self.asks(self.client, token) for token in (mine, other, TOKEN)], [200, 200, 200])
        with self.services.library.database.connection_context():
            self.assertEqual([row["used"] is None for row in list_tokens()], [False, False])
            revoke_token("Ada")
        self.assertEqual([self.asks(self.client, token) for token in (mine, other, TOKEN)], [403, 200, 200])

    def test_one_name_one_token(self) -> None:
        from amber_thicket.errors import BadSetting, NotFound

        with self.services.library.database.connection_context():
            add_token("Ada")
            for name in ("Ada", " Ada ", "", "x" * 61, "a\nb"):
                with self.assertRaises(BadSetting):
                    add_token(name)
            with self.assertRaises(NotFound):
                revoke_token("Bo")


class OriginTest(AppTest):
    def post(self, **headers: str) -> int:
        return self.client.post("/api/materials?file=a.png", data=PHOTO, headers={"Host": "localhost:8760", **headers}).status_code  # fmt: skip

    def test_scheme_host_and_port(self) -> None:
        for origin, wanted in (
            ("http://localhost:8760", 200),
            ("https://localhost:8760", 403),
            ("http://localhost", 403),
            ("http://localhost:87600", 403),
            ("http://127.0.0.1:8760", 403),
            ("null", 403),
            ("http://[::1", 403),
            ("", 403),
        ):
            self.assertEqual(self.post(Origin=origin), wanted, origin)

    def test_fetch_site(self) -> None:
        for site, wanted in (("cross-site", 403), ("same-site", 403), ("same-origin", 200), ("none", 200)):
            self.assertEqual(self.post(**{"Sec-Fetch-Site": site}), wanted, site)
        answer = self.client.get("/api/materials", headers={"Host": "localhost", "Sec-Fetch-Site": "cross-site"})
        self.assertEqual(answer.status_code, 200, "looking changes nothing")

    def test_odd_hosts_are_refused_and_break_nothing(self) -> None:
        for host in ("[::1", "localhost:99999", "localhost:a", "", "evil.example", "localhost@evil.example", "a b"):
            self.assertEqual(self.client.get("/api/about", headers={"Host": host}).status_code, 403, host)


def asked(host: str, **more: Any) -> Request:
    return Request("GET", "/", "http", host, None, None, "10.0.0.1", (), **more)


class NamesTest(unittest.TestCase):
    def admitted(self, config: Config, host: str) -> bool:
        try:
            Guard(config, lambda token: None).admit(asked(host))
        except NotAllowed:
            return False
        return True

    def test_on_all_addresses_only_its_own_names_and_those_it_was_told(self) -> None:
        from pathlib import Path

        config = Config(Path("x"), host="0.0.0.0", hosts=("Thicket.Studio.example",))
        for name in own_names() - {"::1"}:
            if ":" not in name:
                self.assertTrue(self.admitted(config, f"{name}:8760"), name)
        self.assertTrue(self.admitted(config, "thicket.studio.example"))
        self.assertTrue(self.admitted(config, "[::1]:8760"))
        for name in ("evil.example", "studio.example", "thicket.studio.example.evil.example"):
            self.assertFalse(self.admitted(config, name), name)

    def test_parts(self) -> None:
        self.assertEqual(split_host("A.example:80"), ("a.example", 80))
        self.assertEqual(split_host("[::1]"), ("::1", 80))
        self.assertEqual(split_host("a.example", "https"), ("a.example", 443))
        self.assertEqual(split_origin("https://a.example"), ("https", "a.example", 443))
        for text in ("null", "file:///a", "http://", "http://[::1"):
            self.assertIsNone(split_origin(text))


class TriesTest(unittest.TestCase):
    def test_waits_double_up_to_a_minute(self) -> None:
        now = [0.0]
        tries = WrongTries(lambda: now[0])
        waits = []
        for _ in range(14):
            waits.append(tries.waits("a", ("x",)))
            tries.wrong("a")
        self.assertEqual(waits, [0] * 5 + [1, 2, 4, 8, 16, 32, 60, 60, 60])
        now[0] = 59.0
        self.assertEqual(tries.waits("a", ("x",)), 1)
        now[0] = 60.0
        self.assertEqual(tries.waits("a", ("x",)), 0)
        self.assertEqual(tries.waits("b", ("x",)), 0)

    def test_who_was_let_in_is_not_locked_out_by_a_neighbour(self) -> None:
        tries = WrongTries(lambda: 0.0)
        tries.right("proxy", "good")
        for _ in range(9):
            tries.wrong("proxy")
        self.assertEqual(tries.waits("proxy", ("good",)), 0)
        self.assertGreater(tries.waits("proxy", ("other",)), 0)
        tries.forget("good")
        self.assertGreater(tries.waits("proxy", ("good",)), 0)

    def test_refused_with_the_seconds_to_wait(self) -> None:
        from pathlib import Path

        door = Guard(Config(Path("x"), token="t"), lambda token: None)
        wrong = Request("GET", "/", "http", "localhost", None, None, "a", ("no",))
        for _ in range(5):
            with self.assertRaises(NotAllowed):
                door.admit(wrong)
        with self.assertRaises(TooManyTries) as refused:
            door.admit(wrong)
        self.assertEqual(refused.exception.details["wait"], 1)
