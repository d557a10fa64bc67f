"""Several connections that load blocks of one entity side by side, each in transactions of its own."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from queue import SimpleQueue
from typing import Any

from .databases import Place


class _Lane:
    def __init__(self, place: Place) -> None:
        self.place = place
        self.open = 0  # blocks that are not committed yet


class Lanes:
    """`place` and `number` - 1 further connections to where it is; each commits after `blocks` blocks.

    One lane works in the thread that calls it.
    """

    def __init__(self, place: Place, number: int, blocks: int, wait: float) -> None:
        self._lanes, self._blocks = [_Lane(place)], blocks
        self._pool: ThreadPoolExecutor | None = None
        try:
            for _ in range(number - 1):
                self._lanes.append(_Lane(place.another(wait)))
        except BaseException:
            self.close()
            raise
        if number > 1:
            self._pool = ThreadPoolExecutor(number, "load")
        self._free: SimpleQueue[_Lane] = SimpleQueue()
        for lane in self._lanes:
            self._free.put(lane)
        self._running: deque[tuple[Future[None], Callable[[], None]]] = deque()

    def do(self, load: Callable[[Place], Any], then: Callable[[], None]) -> None:
        """Load a block by whichever connection is free, and do something in this thread `then`; waits while all are at work."""
        if self._pool is None:
            self._run(load)
            then()
            return
        self._running.append((self._pool.submit(self._run, load), then))
        while len(self._running) > len(self._lanes):
            self._first()

    def _first(self) -> None:
        future, then = self._running.popleft()
        future.result()
        then()

    def _run(self, load: Callable[[Place], Any]) -> None:
        lane = self._free.get()
        try:
            load(lane.place)
            lane.open += 1
            if lane.open >= self._blocks:
                self._commit(lane)
        finally:
            self._free.put(lane)

    def _commit(self, lane: _Lane) -> None:
        if lane.open:
            lane.place.step()
            lane.open = 0

    def settle(self) -> None:
        """Wait until everything is loaded, and commit it: other connections see it then."""
        while self._running:
            self._first()
        if self._pool is not None:
            for lane in self._lanes:
                self._commit(lane)

    def close(self) -> None:
        """Let go of the further connections; what they did not commit is taken back."""
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
        for lane in self._lanes[1:]:
            with suppress(Exception):  # a connection that was lost has nothing to take back
                lane.place.abandon()
        del self._lanes[1:]
