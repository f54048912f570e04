"""What takes long is worked out once, however many pages ask for it at the same time."""

from __future__ import annotations

import time
from threading import Thread

from wryfalcon.kept import kept


def test_threads_that_ask_the_same_wait_for_one_and_others_do_not() -> None:
    calls: list[int] = []
    ends: dict[int, float] = {}

    @kept(4)
    def slow(x: int) -> int:
        calls.append(x)
        time.sleep(0.2 if x == 1 else 0.0)
        return x

    def ask(place: int, x: int) -> None:
        slow(x)
        ends[place] = time.monotonic()

    threads = [Thread(target=ask, args=(place, 2 if place == 7 else 1)) for place in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(calls) == [1, 2]
    assert ends[7] == min(ends.values())
