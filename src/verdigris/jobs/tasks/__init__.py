"""Tasks on the queue. Each is safe to run twice: what is there already is kept, and the rest is done."""

from verdigris.jobs.tasks import follow, hand_over, measure, read

__all__ = ["follow", "hand_over", "measure", "read"]
