"""What is lazy holds up nobody: one object's attribute is not waited for by another's."""

import threading
import unittest

from oikotherm.core.lazy import lazy


class Slow:
    def __init__(self, wait=None):
        self.wait, self.asked = wait, 0

    @lazy
    def found(self):
        self.asked += 1
        if self.wait is not None:
            self.wait.wait(60)
        return object()


class LazyTest(unittest.TestCase):
    def test_it_is_worked_out_once(self):
        one = Slow()
        self.assertIs(one.found, one.found)
        self.assertEqual(one.asked, 1)
        self.assertIsInstance(Slow.found, lazy)

    def test_nobody_waits_for_another_object(self):
        go = threading.Event()
        slow, quick = Slow(go), Slow()
        waiting = threading.Thread(target=lambda: slow.found)
        waiting.start()
        done = threading.Event()
        threading.Thread(target=lambda: (quick.found, done.set()), daemon=True).start()
        self.assertTrue(done.wait(30))
        self.assertTrue(waiting.is_alive())
        go.set()
        waiting.join()

    def test_two_threads_on_one_object_get_the_same(self):
        go, found = threading.Event(), []
        one = Slow(go)
        threads = [threading.Thread(target=lambda: found.append(one.found)) for _ in range(2)]
        for thread in threads:
            thread.start()
        go.set()
        for thread in threads:
            thread.join()
        self.assertIs(found[0], found[1])


if __name__ == "__main__":
    unittest.main()
