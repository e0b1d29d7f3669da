"""A worker: takes questions from the server line by line, and lays down what it makes. `python -m` begins it, the
server alone; it reads the database and never writes it."""

from __future__ import annotations

import gc
import json
import os
import sys
from typing import Any

from ..core.errors import Refused
from ..workers import GC_THRESHOLD, Folder, Question, bounded, questions


def main() -> None:
    """Work until the server's words end."""
    at_work: list[Any] = []

    def over() -> None:
        for tell in at_work:
            tell(memory=True)
        os._exit(0)

    bounded(over)
    gc.set_threshold(*GC_THRESHOLD)
    words = os.fdopen(os.dup(1), "w", encoding="utf-8")
    os.dup2(2, 1)  # nothing else may speak to the server, no library either
    apps: dict[str, Any] = {}
    for question in questions(sys.stdin):

        def tell(key: str = question.key, **said: Any) -> None:
            try:
                words.write(json.dumps({"key": key, **said}) + "\n")
                words.flush()
            except OSError:  # the server is gone
                os._exit(0)

        at_work[:] = [tell]
        try:
            tell(says="reading the job")
            if question.data not in apps:
                from pathlib import Path

                from .app import create_app

                apps[question.data] = create_app(Path(question.data), WORKER=True)
                gc.freeze()
            _answer(apps[question.data], question, lambda says: tell(says=says))  # noqa: B023 - called at once
            tell(made=True)
        except Refused as refused:
            tell(refused=refused.as_dict())
        except MemoryError:
            over()
        except Exception as error:  # noqa: BLE001 - whatever it is, the server hears of it and the worker goes on
            sys.stderr.write(f"worker, {question.name}: {type(error).__name__}: {error}\n")
            tell(failed="The program made a mistake here; what was stored is untouched.")


def _answer(app: Any, question: Question, tell: Any) -> None:
    from .worked import answer

    with app.test_request_context(question.path):
        Folder(app.config["DATA"]).put(question.key, answer(question, tell))


if __name__ == "__main__":
    main()
