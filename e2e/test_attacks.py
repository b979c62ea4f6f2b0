"""The running service under attack and behind a proxy: others are still served, and nobody gets in unasked."""

import http.client
import http.server
import json
import socket
import threading
import time
import unittest
from http.cookies import SimpleCookie

from e2e.browser import the_server
from e2e.server import RunningNibble

OUTSIDE = "https://nibble.shop.example"


class Proxy(http.server.BaseHTTPRequestHandler):
    """Ends TLS, as far as what is behind it can tell: says so in its headers, and names the host it was asked for."""

    target = 0
    protocol_version = "HTTP/1.1"

    def _pass_on(self) -> None:
        inner = http.client.HTTPConnection("127.0.0.1", self.target, timeout=30)
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        headers = {name: value for name, value in self.headers.items() if not name.lower().startswith("x-forwarded")}
        headers |= {"Host": "nibble.shop.example", "X-Forwarded-Proto": "https", "X-Forwarded-For": "203.0.113.9"}
        inner.request(self.command, self.path, body, headers)
        answer = inner.getresponse()
        content = answer.read()
        self.send_response(answer.status)
        for name, value in answer.getheaders():
            if name.lower() not in ("transfer-encoding", "content-length", "connection"):
                self.send_header(name, value)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    do_GET = do_POST = do_DELETE = _pass_on

    def log_message(self, *words: object) -> None:
        pass


def asked(port: int, path: str, body: object = None, **headers: str) -> tuple[int, dict, list[str]]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    if body is None:
        connection.request("GET", path, headers=headers)
    else:
        connection.request("POST", path, json.dumps(body), {"Content-Type": "application/json", **headers})
    answer = connection.getresponse()
    content = answer.read()
    told = json.loads(content) if answer.headers.get_content_type() == "application/json" else {}
    return answer.status, told, answer.headers.get_all("Set-Cookie") or []


def cookies_of(said: list[str]) -> dict[str, str]:
    jar = SimpleCookie()
    for one in said:
        jar.load(one)
    return {name: morsel.value for name, morsel in jar.items()}


class ProxyTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.nibble = RunningNibble(with_jobs=True, NIBBLE_PROXY=OUTSIDE)
        cls.addClassCleanup(cls.nibble.stop)
        handler = type("Bound", (Proxy,), {"target": cls.nibble.port})
        cls.proxy = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
        threading.Thread(target=cls.proxy.serve_forever, daemon=True).start()
        cls.addClassCleanup(cls.proxy.shutdown)
        cls.port = cls.proxy.server_address[1]

    def test_a_stranger_through_a_proxy_is_not_signed_in(self):
        self.assertFalse(asked(self.port, "/api/session")[1]["signed_in"])
        self.assertEqual(asked(self.port, "/api/jobs")[0], 401)

    def test_changes_pass_with_secure_cookies_and_from_elsewhere_none(self):
        _, _, said = asked(self.port, f"/?key={self.nibble.key}")
        page = asked(self.port, "/", Cookie="; ".join(f"{k}={v}" for k, v in cookies_of(said).items()))[2]
        held = cookies_of(said) | cookies_of(page)
        self.assertTrue(all("Secure" in one for one in (*said, *page)), (said, page))
        cookie = "; ".join(f"{name}={value}" for name, value in held.items())
        body = {"seen": 1, "changes": [{"path": "pieces/p1/layers/l1/lines/k1/offset/distance", "value": 2.5}]}
        good = {"Cookie": cookie, "X-CSRFToken": held["csrftoken"], "Origin": OUTSIDE, "Referer": f"{OUTSIDE}/"}
        for wrong in ({"X-CSRFToken": ""}, {"Origin": "https://elsewhere.example"}):
            code, told, _ = asked(self.port, "/api/jobs/1/changes", body, **{**good, **wrong})
            self.assertEqual((code, told.get("code")), (403, "from-elsewhere"))
        self.assertEqual(asked(self.port, "/api/jobs/1/changes", body, **good)[0], 200)


class AttackTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.nibble = the_server(with_jobs=True)

    def test_half_open_connections_do_not_shut_others_out(self):
        held = []
        for _ in range(150):
            one = socket.create_connection(("127.0.0.1", self.nibble.port))
            one.sendall(b"POST /api/jobs HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 100000\r\n\r\nx")
            held.append(one)
        self.assertEqual(asked(self.nibble.port, "/api/session")[0], 200)
        for one in held:
            one.close()

    def test_one_data_folder_has_one_server(self):
        second = self.nibble.second()
        self.assertNotEqual(second.returncode, 0)
        self.assertIn("serves this data folder already", second.stderr)
        self.assertEqual(asked(self.nibble.port, "/api/session")[0], 200)

    def test_nothing_outlives_a_server_that_was_killed_at_its_start(self):
        for wait in (0.0, 0.6):
            nibble = RunningNibble()
            time.sleep(wait)
            nibble.kill_server_alone()
            for _ in range(400):  # what is still starting finds nobody there when it has started
                left = nibble.processes()
                if not left:
                    break
                time.sleep(0.1)
            self.assertEqual(left, [])
            nibble.start()  # the hold on the folder has gone with the server
            nibble.stop()
