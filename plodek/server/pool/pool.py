"""The evaluators beside the server: who gets a request, how long it may take, and what if one dies of it.

A project stays with the evaluator that knows it. Where that one is busy with other projects, and another is
free or may still be started, that one takes it over: no project waits behind another's work.
"""

from __future__ import annotations

import logging
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures import TimeoutError as NotYet
from dataclasses import dataclass, field, replace
from itertools import count
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock, Thread
from typing import TypeAlias

from plodek.core.budget import LIMITS, most, variable
from plodek.core.errors import Halted, OverBudget
from plodek.server.pool import forked
from plodek.server.pool.message import Answered, Asked
from plodek.server.settings import Settings

#: What a process runs that answers the requests which come through a connection: `evaluator.main`.
Evaluate: TypeAlias = Callable[[Connection, Path, Settings], None]
#: Requests that wait or run at once: of one project, and in all.
MOST_OF_PROJECT, MOST_IN_ALL = 12, 48
#: Seconds between two looks whether a client has gone or a deadline has passed.
LOOK_EVERY = 0.25
#: Seconds that work nobody waits for any more may still go on: its evaluator knows the project.
LEFT_ALONE = 3.0
#: How much longer than an evaluation a request may take: it is drawn and measured too.
BEYOND = 1.5
#: Projects of which it is remembered who knows them.
_KNOWN = 1000


class Busy(Exception):
    """So many requests wait already that this one is not taken."""


class _Died(Exception):
    """The evaluator ended before it answered."""


@dataclass
class _Waiting:
    """A request that an evaluator has, since when, and since when nobody waits for it any more."""

    project: int
    began: float = field(default_factory=time.monotonic)
    left: float | None = None
    future: Future[Answered] = field(default_factory=Future)


class _Evaluator:
    """One process, and the requests that it has."""

    def __init__(self, evaluate: Evaluate, folder: Path, settings: Settings, most_seconds: float) -> None:
        ours, theirs = forked.context().Pipe()
        self._connection: Connection = ours
        self._most_seconds = most_seconds
        self._sending = Lock()
        self._broken = False
        self.waiting: dict[int, _Waiting] = {}
        self.process = forked.start(evaluate, theirs, folder, settings)
        theirs.close()
        Thread(target=self._listen, daemon=True).start()

    @property
    def alive(self) -> bool:
        """Whether it can be given work: a process that has just ended seems to run until it is reaped."""
        return not (self._broken or self._connection.closed) and self.process.is_alive()

    def others(self, project: int) -> int:
        """Count the requests of other projects."""
        return sum(one.project != project for one in list(self.waiting.values()))

    def send(self, asked: Asked) -> None:
        """Send a request that is among those waiting. Raises _Died where the process has ended."""
        try:
            with self._sending:
                self._connection.send(asked)
        except OSError as error:
            self._broken = True
            self.waiting.pop(asked.number, None)
            raise _Died from error

    def stop(self) -> None:
        """End the process."""
        self.process.kill()

    def _listen(self) -> None:
        """Hand out answers, and end the process where it takes too long or works for nobody."""
        try:
            looked = time.monotonic()
            while True:
                ready = self._connection.poll(LOOK_EVERY)
                if time.monotonic() - looked > LOOK_EVERY:
                    self._look()
                    looked = time.monotonic()
                if not ready:
                    continue
                answered: Answered = self._connection.recv()
                waiting = self.waiting.pop(answered.number, None)
                if waiting and not waiting.future.done():
                    waiting.future.set_result(answered)
        except (EOFError, OSError):
            self._end()
        except Exception:  # what cannot be understood ends the process too: nobody would hand out its answers
            logging.getLogger(__name__).exception("what an evaluator sent")
            self._end()

    def _look(self) -> None:
        now, all_waiting = time.monotonic(), list(self.waiting.values())
        late = [one for one in all_waiting if now - one.began > self._most_seconds]
        for one in late:
            if not one.future.done():
                one.future.set_exception(_too_long())
        left = [one.left for one in all_waiting if one.left is not None]
        for_nobody = len(left) == len(all_waiting) and any(now - since > LEFT_ALONE for since in left)
        if late or for_nobody:
            self.process.kill()

    def _end(self) -> None:
        """Tell everyone that the process has ended. Only the thread that listens closes the connection."""
        self._connection.close()
        self.process.kill()
        self.process.join()
        while self.waiting:
            future = self.waiting.popitem()[1].future
            if not future.done():
                future.set_exception(_Died())


class Pool:
    """The evaluators of a server, started as needed: processes that ``evaluate`` over a data folder."""

    def __init__(self, evaluate: Evaluate, folder: Path, settings: Settings) -> None:
        self._evaluate, self._folder, self._settings = evaluate, folder, settings
        self._lock, self._numbers = Lock(), count()
        self._evaluators: list[_Evaluator] = []
        self._knows: OrderedDict[int, _Evaluator] = OrderedDict()
        self._most_seconds = most("evaluation_seconds") * BEYOND
        self._start()

    @property
    def waiting(self) -> int:
        """How many requests wait or run."""
        return sum(len(one.waiting) for one in self._evaluators)

    @property
    def processes(self) -> list[int]:
        """The process ids of the evaluators."""
        return [pid for one in self._evaluators if one.alive and (pid := one.process.pid)]

    def answer(self, asked: Asked, project: int, gone: Callable[[], bool], *, again: bool) -> Answered:
        """Have a request answered; once more, where it may be done ``again`` and its evaluator has died.

        Raises Busy where too many wait, OverBudget where it takes too long or its evaluator dies of it, and
        Halted where the client has ``gone`` meanwhile.
        """
        try:
            return self._answer(asked, project, gone)
        except _Died:
            logging.getLogger(__name__).warning("an evaluator died at %s %s", asked.method, asked.path)
        if again:
            try:
                return self._answer(asked, project, gone)
            except _Died:
                logging.getLogger(__name__).warning("and again at %s %s", asked.method, asked.path)
        raise OverBudget(
            "the process that worked this out has ended: it may have taken too much memory",
            remedy=f"take fewer cells, blocks or points; {variable('memory_mb')} sets its memory",
        )

    def stop(self) -> None:
        """End all evaluators."""
        for one in self._evaluators:
            one.stop()

    def _answer(self, asked: Asked, project: int, gone: Callable[[], bool]) -> Answered:
        waiting = _Waiting(project)
        number = next(self._numbers)
        with self._lock:
            chosen = self._choose(project)
            chosen.waiting[number] = waiting
        chosen.send(replace(asked, number=number))  # a pipe may be full: nobody else waits for it
        while True:
            try:
                return waiting.future.result(LOOK_EVERY)
            except NotYet:
                if waiting.future.done():
                    continue
                if gone():
                    waiting.left = time.monotonic()
                    raise Halted("nobody waits for this any more") from None

    def _choose(self, project: int) -> _Evaluator:
        self._evaluators = [one for one in self._evaluators if one.alive]
        everyone = [w for one in self._evaluators for w in list(one.waiting.values())]
        ours = sum(w.project == project and w.left is None for w in everyone)
        if len(everyone) >= MOST_IN_ALL or ours >= MOST_OF_PROJECT:
            raise Busy
        knows = self._knows.get(project)
        order = sorted(
            self._evaluators, key=lambda one: (one.others(project), one is not knows, len(one.waiting))
        )
        chosen = order[0] if order else self._start()
        if chosen.others(project) and len(order) < self._settings.evaluators:
            chosen = self._start()
        self._knows[project] = chosen
        self._knows.move_to_end(project)
        if len(self._knows) > _KNOWN:
            self._knows.popitem(last=False)
        return chosen

    def _start(self) -> _Evaluator:
        found = _Evaluator(self._evaluate, self._folder, self._settings, self._most_seconds)
        self._evaluators.append(found)
        return found


def _too_long() -> OverBudget:
    limit = LIMITS["evaluation_seconds"]
    return OverBudget(
        f"this took longer than {most('evaluation_seconds')} seconds and was stopped",
        remedy=f"{limit.remedy}; {variable('evaluation_seconds')} sets another limit",
    )
