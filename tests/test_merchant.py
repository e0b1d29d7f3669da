"""A merchant that answers badly, slowly or not at all: a word that says so, never a wait without end."""

from __future__ import annotations

import json
import socket
import threading
import time
import unittest
from unittest import mock

from oikotherm.core.errors import Refused
from oikotherm.core.making.order import Line
from oikotherm.core.supply import Price
from oikotherm.exchange import merchant

LINES = [mock.Mock(spec=Line, item="cap-elbow-22", title="22 elbow")]


def answer(body: str | bytes, status: str = "200 OK", *headers: str) -> bytes:
    data = body.encode("utf-8", "surrogatepass") if isinstance(body, str) else body
    head = "\r\n".join([f"HTTP/1.1 {status}", f"Content-Length: {len(data)}", *headers])
    return head.encode() + b"\r\n\r\n" + data


def quotes(**more: object) -> str:
    return json.dumps({"quotes": [{"item": "cap-elbow-22", "price": 1.15, **more}]})


class Hostile:
    """A server that says these bytes, one by one where `slow`."""

    def __init__(self, says: bytes, slow: bool = False) -> None:
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self.listening.getsockname()[1]}"
        self.says, self.slow = says, slow
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        try:
            while True:
                connection, _ = self.listening.accept()
                asked = b""
                while not asked.endswith(b"]}"):
                    asked += connection.recv(65_536)
                self.sent = 0
                for n in range(0, len(self.says), 1 if self.slow else max(len(self.says), 1)):
                    self.sent = n
                    connection.sendall(self.says[n : n + (1 if self.slow else len(self.says))])
                    if self.slow:
                        time.sleep(0.2)
                connection.close()
        except OSError:
            pass


class MerchantTest(unittest.TestCase):
    def ask(self, says: bytes, slow: bool = False) -> list[Price]:
        self.server = server = Hostile(says, slow)
        self.addCleanup(server.listening.close)
        return merchant.ask(server.url, LINES)[1]

    def test_a_plain_answer_is_taken_and_nothing_that_was_not_asked_for(self) -> None:
        many = [{"item": f"other-{n}", "price": 1} for n in range(5_000)]
        body = json.dumps({"quotes": [*many, {"item": "cap-elbow-22", "price": 1.15, "days": 3}]})
        (one,) = self.ask(answer(body))
        self.assertEqual((one.item, one.each, one.days), ("cap-elbow-22", 1.15, 3))

    def test_hostile_answers_are_refused(self) -> None:
        for says in (
            answer('{"quotes": [{"item": "cap-elbow-22", "price": 1, "days": 1e999}]}'),
            answer('{"quotes": [{"item": "cap-elbow-22", "price": ' + "9" * 400 + "}]}"),
            answer('{"quotes": [{"item": "cap-elbow-22", "price": 1, "instead": "\\ud800"}]}'),
            answer("[" * 200_000),
            answer("[]"),
            answer('{"quotes": {"item": 1}}'),
            answer(b"\xff\xfe"),
            b"not HTTP at all\r\n\r\n",
            b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\nbad\r\n",
            answer(quotes(), "200 OK", *(f"X-{n}: 1" for n in range(300))),
            answer(quotes(), "200 OK", "X-Long: " + "y" * 100_000),
            answer(quotes(), "302 Found", "Location: http://10.0.0.1/"),
            answer(quotes(), "500 Broken"),
            answer(b" " * (merchant.MOST_BYTES + 10)),
            b"",
        ):
            with self.subTest(says[:60]), self.assertRaises(Refused) as caught:
                self.ask(says)
            self.assertTrue(caught.exception.expected)

    def test_addresses_that_are_none_are_refused(self) -> None:
        for url in (
            "http://127.0.0.1:abc",
            "http://[",
            "http://127.0.0.1:8430/\r\nX: y",
            "http://10.0.0.1/",
            "ftp://127.0.0.1/",
            "http://127.0.0.1:99999",
            "",
        ):
            with self.subTest(url), self.assertRaises(Refused):
                merchant.ask(url, LINES)

    def test_a_byte_now_and_then_ends_with_the_time_for_all_of_it(self) -> None:
        with mock.patch.object(merchant, "TIMEOUT_S", 1):
            for says in (answer(quotes()), b"HTTP/1.1 200 OK\r\nContent-Length: 900\r\n\r\n" + b" " * 900):
                with self.assertRaises(Refused):
                    self.ask(says, slow=True)
                self.assertLess(self.server.sent, len(says) - 20)  # most of it was never waited for


if __name__ == "__main__":
    unittest.main()
