"""A few things that are expensive to make, kept while they are asked for."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class Recent(Generic[T]):
    """Keeps the `most` last used; safe between threads."""

    def __init__(self, most: int) -> None:
        self._kept: OrderedDict[Hashable, T] = OrderedDict()
        self._lock, self._most = Lock(), most

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, made when it is not there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        self.put(key, made)
        return made

    def drop(self, key: Hashable) -> None:
        """Keep something no longer."""
        with self._lock:
            self._kept.pop(key, None)

    def put(self, key: Hashable, made: T) -> None:
        """Keep something made elsewhere, in place of what was kept under its key."""
        with self._lock:
            self._kept[key] = made
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
