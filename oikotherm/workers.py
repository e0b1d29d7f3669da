"""Two processes beside the server for what takes long: packs, orders of assembly, sticks, a merchant's answer, big
imports.

Not the process pool of the library: that cannot cancel, has no bound a task, and one crash breaks it. A worker is begun
at the first need, is nice to all else, has a bound on memory, and is killed and begun anew on cancel, on time and on a
crash; it ends when the pipe of the server ends, however the server ended. Only text goes in, and what comes out lies in
the folder `made` of the data folder, by the key of its question, so that the same question is not worked out twice.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from .core.errors import Refused
from .store.files import private_file, private_folder

WORKERS = 2
MOST_WAITING = 40
MOST_MADE_BYTES, MOST_MADE = 200_000_000, 200
MOST_MEMORY_BYTES = 350_000_000  # of a worker, as it watches itself
MOST_DATA_BYTES = 700_000_000  # by RLIMIT_DATA, should it not come to watch: near it Python only struggles
WATCH_S = 0.2
PR_SET_PDEATHSIG = 1
NICE = 10
LEFT_S = 60.0  # a question nobody came back for in so long is not begun
KEPT_ENDED_S = 600.0
ENDS_S = 10.0
CHILD = "oikotherm.web.worker"
GC_THRESHOLD = (
    100_000,
    20,
    50,
)  # of server and worker: a derived house is many small objects that live until the next edit
CRASHED = "It broke off: the process that worked on it ended. Nothing stored was touched; ask again."
OVER_TIME = "It took more than {most_s:.0f} s and was stopped. {hint}"
OVER_MEMORY = "It wanted more memory than a worker may have. {hint}"
FULL = "Too much is being worked out already. Ask again in a minute."
CANCELLED = "Cancelled."


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked of a worker, all of it text: the same question has the same answer.

    name: of what is made; data: the data folder; uid, rev: a job at a revision; mark: all else it depends on; path: the
    address it was asked at; asked: further words. most_s: how long it may take [s]; hint: what to do if that is not
    enough; neither is part of the key.
    """

    name: str
    data: str
    uid: str = ""
    rev: int = 0
    mark: str = ""
    path: str = ""
    asked: tuple[tuple[str, str], ...] = ()
    most_s: float = 120.0
    hint: str = ""

    @property
    def key(self) -> str:
        """The name of what is made of it: 32 hexadecimal digits."""
        said = [self.name, self.data, self.uid, self.rev, self.mark, self.path, self.asked]
        return hashlib.sha256(json.dumps(said).encode()).hexdigest()[:32]


@dataclass(frozen=True, slots=True)
class Made:
    """What came of a question: bytes of a kind, with the name of the file it may be kept as."""

    data: bytes
    mimetype: str = "application/json"
    filename: str = ""


class Folder:
    """What was made, by key, in `made` of a data folder. What was asked for longest ago goes when it grows too big."""

    def __init__(self, data: Path) -> None:
        self.path = data / "made"

    def get(self, key: str) -> Made | None:
        """What lies under a key, or None; what cannot be read is not there."""
        try:
            raw = (self.path / key).read_bytes()
            head, _, data = raw.partition(b"\n")
            said = json.loads(head)
            if said["bytes"] != len(data):
                return None
            with contextlib.suppress(OSError):
                os.utime(self.path / key)
            return Made(data, said["mimetype"], said["filename"])
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def put(self, key: str, made: Made) -> None:
        """Lay something down whole or not at all. Raises OSError."""
        private_folder(self.path)
        head = json.dumps({"mimetype": made.mimetype, "filename": made.filename, "bytes": len(made.data)})
        fresh = private_file(self.path / f"{key}.{os.getpid()}.new")
        fresh.write_bytes(head.encode() + b"\n" + made.data)
        fresh.replace(self.path / key)
        self.trim()

    def keep_sent(self, data: bytes) -> str:
        """Keep bytes that were sent, for a worker to read; what they are known by. Raises OSError."""
        known = hashlib.sha256(data).hexdigest()
        private_folder(self.path)
        fresh = private_file(self.path / f"{known}.{os.getpid()}.{threading.get_ident()}.new")
        fresh.write_bytes(data)
        fresh.replace(self.path / known)
        return known

    def sent(self, known: str) -> bytes:
        """Bytes kept so. Raises Refused where they are gone."""
        try:
            if re.fullmatch("[0-9a-f]{64}", known):
                return (self.path / known).read_bytes()
        except OSError:
            pass
        raise Refused("document", known, "a file that was sent a moment ago", "send it again")

    def forget_sent(self, known: str) -> None:
        """Let go of what was sent, once it is stored."""
        (self.path / known).unlink(missing_ok=True)

    def trim(self, most: int = MOST_MADE, most_bytes: int = MOST_MADE_BYTES) -> None:
        """Forget what was asked for longest ago, until no more than so many files and bytes are left."""
        found = []
        for one in self.path.iterdir() if self.path.is_dir() else ():
            with contextlib.suppress(OSError):
                found.append((one.stat().st_mtime, one.stat().st_size, one))
        size = 0
        for count, (_, one_size, one) in enumerate(sorted(found, key=lambda row: -row[0]), 1):
            size += one_size
            if count > most or size > most_bytes:
                one.unlink(missing_ok=True)


@dataclass(slots=True)
class Task:
    """A question at work. state: waits, works, made, or how it ended; says: what is being done, or why it ended;
    refused: the error object where the question was refused."""

    question: Question
    state: str = "waits"
    says: str = ""
    refused: dict[str, Any] = field(default_factory=dict)
    began_s: float = field(default_factory=time.monotonic)
    seen_s: float = field(default_factory=time.monotonic)
    ended: threading.Event = field(default_factory=threading.Event)

    def end(self, state: str, says: str = "", refused: dict[str, Any] | None = None) -> None:
        if not self.ended.is_set():
            self.state, self.says, self.refused = state, says, refused or {}
            self.ended.set()

    @property
    def seconds(self) -> int:
        return int(time.monotonic() - self.began_s)


class Pool:
    """The workers of a server, and what they are asked. May be used from several threads."""

    def __init__(self, data: Path, workers: int = WORKERS) -> None:
        self.folder = Folder(data)
        self.folder.trim(0)  # what another program made is not this one's
        self._tasks: dict[str, Task] = {}
        self._queue: deque[Task] = deque()
        self._changed = threading.Condition()
        self.closed = False
        self._workers = [_Worker(self, number) for number in range(workers)]

    def ask(self, question: Question, wait_s: float) -> Task:
        """The task of a question, begun if it is not at work; waits for its end so long [s]. One that has ended is
        given once, then forgotten."""
        key = question.key
        with self._changed:
            task = self._tasks.get(key)
            if task is None:
                task = Task(question)
                if self.closed or len(self._queue) >= MOST_WAITING:
                    task.end("failed", FULL)
                    return task
                self._forget_old()
                self._tasks[key] = task
                self._queue.append(task)
                for worker in self._workers:
                    worker.begin()
                self._changed.notify()
            task.seen_s = time.monotonic()
        task.ended.wait(wait_s)
        if task.ended.is_set():
            with self._changed:
                self._tasks.pop(key, None)
        return task

    def look(self, key: str) -> Task | None:
        """The task of a key, while it is at work or its end was not told yet."""
        with self._changed:
            task = self._tasks.get(key)
            if task is not None:
                task.seen_s = time.monotonic()
            return task

    def cancel(self, key: str) -> None:
        """End a task, whether it waits or works."""
        with self._changed:
            task = self._tasks.get(key)
            if task is None:
                return
            task.end("cancelled", CANCELLED)
            if task in self._queue:
                self._queue.remove(task)
        for worker in self._workers:
            worker.drop(task)

    def close(self) -> None:
        """End all workers."""
        with self._changed:
            self.closed = True
            self._changed.notify_all()
            tasks = list(self._tasks.values())
        for task in tasks:
            task.end("cancelled", CANCELLED)
        for worker in self._workers:
            worker.kill()

    def processes(self) -> list[int]:
        """The numbers of the worker processes that run."""
        return [one.process.pid for one in self._workers if one.process is not None and one.process.poll() is None]

    def next_task(self) -> Task | None:
        """The task that waits longest, once there is one; None when the pool is closed."""
        with self._changed:
            while not self.closed:
                while self._queue:
                    task = self._queue.popleft()
                    if time.monotonic() - task.seen_s <= LEFT_S and not task.ended.is_set():
                        return task
                    task.end("cancelled", CANCELLED)
                self._changed.wait()
            return None

    def _forget_old(self) -> None:
        for key, task in list(self._tasks.items()):
            if task.ended.is_set() and time.monotonic() - task.seen_s > KEPT_ENDED_S:
                del self._tasks[key]


class _Worker:
    """One process and the thread that speaks with it."""

    def __init__(self, pool: Pool, number: int) -> None:
        self.pool = pool
        self.process: subprocess.Popen[str] | None = None
        self.task: Task | None = None
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._work, name=f"worker {number}", daemon=True)

    def begin(self) -> None:
        """Begin the thread, at the first need."""
        with self._lock:
            if self._thread.ident is None:
                self._thread.start()

    def drop(self, task: Task) -> None:
        """Kill the process if it works on a task; the next task begins another."""
        with self._lock:
            if self.task is task and self.process is not None:
                self.process.kill()

    def kill(self) -> None:
        with self._lock:
            if self.process is not None:
                self.process.kill()
        if self._thread.is_alive():
            self._thread.join(ENDS_S)

    def _work(self) -> None:
        while (task := self.pool.next_task()) is not None:
            with self._lock:
                self.task = task
            bound = threading.Timer(task.question.most_s, self._over_time, (task,))
            bound.daemon = True
            bound.start()
            try:
                self._answer(task)
            except (OSError, ValueError):
                task.end("failed", CRASHED)
            finally:
                bound.cancel()
                with self._lock:
                    self.task = None
                if not task.ended.is_set():
                    task.end("failed", CRASHED)
                if self.process is not None and self.process.poll() is not None:
                    self._bury()
        self._bury()

    def _over_time(self, task: Task) -> None:
        task.end("failed", OVER_TIME.format(most_s=task.question.most_s, hint=task.question.hint).strip())
        self.drop(task)

    def _answer(self, task: Task) -> None:
        """Send the question, and take what the process says until it is done; an end of its words is a crash."""
        process = self._there()
        if task.ended.is_set():
            return
        assert process.stdin is not None and process.stdout is not None
        task.state = "works"
        process.stdin.write(json.dumps(asdict(task.question)) + "\n")
        process.stdin.flush()
        for line in process.stdout:
            said = json.loads(line)
            if said.get("key") != task.question.key:
                continue
            if "says" in said:
                task.says = str(said["says"])
            elif "made" in said:
                task.end("made")
                return
            else:
                if said.get("memory"):  # it ends by itself: not for the next question
                    process.kill()
                    process.wait()
                hint = task.question.hint
                words = OVER_MEMORY.format(hint=hint).strip() if said.get("memory") else str(said.get("failed", ""))
                task.end("refused" if "refused" in said else "failed", words, said.get("refused"))
                return
        process.wait()
        task.end("failed", CRASHED)

    def _there(self) -> subprocess.Popen[str]:
        with self._lock:
            if self.process is not None and self.process.poll() is None:
                return self.process
            if self.pool.closed:
                raise OSError("the server ends")
            self._bury()
            command = [sys.executable, "-m", CHILD]
            environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "PYTHONUNBUFFERED": "1"}
            root = str(Path(__file__).parents[1])
            environment["PYTHONPATH"] = os.pathsep.join(filter(None, (root, os.environ.get("PYTHONPATH", ""))))
            self.process = subprocess.Popen(  # noqa: S603 - ourselves
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment, cwd=root
            )
            return self.process

    def _bury(self) -> None:
        """Close what an ended process left open."""
        if self.process is not None:
            self.process.wait()
            for pipe in (self.process.stdin, self.process.stdout):
                if pipe is not None:
                    with contextlib.suppress(OSError):
                        pipe.close()
            self.process = None


def bounded(over: Callable[[], None], most_bytes: int = MOST_MEMORY_BYTES) -> None:
    """Make this process a worker: nice, deaf to Ctrl-C, which is the server's, ended with its server, and bounded in
    memory: over() is called by a thread when it holds more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _end_with_parent()
    with contextlib.suppress(OSError, AttributeError):
        os.nice(NICE)
    try:
        import resource
    except ImportError:  # not on this system
        return
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    most = MOST_DATA_BYTES if hard == resource.RLIM_INFINITY else min(MOST_DATA_BYTES, hard)
    resource.setrlimit(resource.RLIMIT_DATA, (most, hard))

    def watch() -> None:
        while _held_bytes() <= most_bytes:
            time.sleep(WATCH_S)
        over()

    threading.Thread(target=watch, daemon=True).start()


def _held_bytes() -> int:
    """What this process holds now; 0 where the system does not say it. Not by ru_maxrss: that begins with what the
    process was forked from."""
    try:
        return int(Path("/proc/self/statm").read_text("ascii").split()[1]) * os.sysconf("SC_PAGESIZE")
    except (OSError, ValueError, IndexError):
        return 0


def _end_with_parent() -> None:
    """Have the kernel end this process with the thread that began it, where it can; else the end of the pipe does."""
    if not sys.platform.startswith("linux"):
        return
    import ctypes

    parent = os.getppid()
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:  # it was gone before
        os._exit(0)


def questions(words: Any) -> Any:
    """The questions that come in line by line. The process ends when they end, also in the middle of its work: then
    the server is gone."""
    waiting: deque[Question] = deque()
    there = threading.Semaphore(0)

    def read() -> None:
        for line in words:
            said = json.loads(line)
            said["asked"] = tuple((str(name), str(value)) for name, value in said["asked"])
            waiting.append(Question(**said))
            there.release()
        os._exit(0)

    threading.Thread(target=read, daemon=True).start()
    while True:
        there.acquire()
        yield waiting.popleft()
