"""Stops a database when the process that started this one is gone, however it went: its end of the pipe closes then."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from launch.cluster import Cluster

if __name__ == "__main__":
    sys.stdin.buffer.read()
    Cluster(Path(sys.argv[1])).stop()
