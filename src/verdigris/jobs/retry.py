"""When the queue gives a task out again by itself."""

from procrastinate import BaseRetryStrategy, RetryDecision
from procrastinate.jobs import Job as QueueJob


class ComeBack(Exception):
    """What a task needs is not there at the moment; it is to be tried again after some seconds."""

    def __init__(self, seconds: int) -> None:
        super().__init__(f"again in {seconds} s")
        self.seconds = seconds


class WhenAsked(BaseRetryStrategy):  # type: ignore[misc]
    """Only a task that says so is given out again: all else ends its job with a sentence."""

    def get_retry_decision(self, *, exception: BaseException, job: QueueJob) -> RetryDecision | None:
        """After as many seconds as it asked for."""
        return RetryDecision(retry_in={"seconds": exception.seconds}) if isinstance(exception, ComeBack) else None
