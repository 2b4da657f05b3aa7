"""Ties between processes, so that none is left behind when the one that started it is killed."""

import ctypes
import os
import signal

PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int | None = None) -> None:
    """End this process as soon as the one that started it ends, in whatever way (prctl(2), PR_SET_PDEATHSIG).

    Parameters
    ----------
    parent : its process id as it was told, should it be gone already by the time this asks; None when that cannot be
    """
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    if parent and os.getppid() != parent:
        os.kill(os.getpid(), signal.SIGKILL)
