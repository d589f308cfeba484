"""The board of running work."""

from __future__ import annotations

import logging
import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from typing import Any, Literal

log = logging.getLogger("volnik")
KEPT = 200  # ended ones, so that a page left open still finds its answer

JobState = Literal["waiting", "running", "done", "failed", "cancelled"]


class JobCancelled(Exception):
    """Raised inside a job that was told to stop."""


@dataclass(slots=True)
class Job:
    """One piece of work.

    Attributes:
        id: hard to guess.
        title: what is being done, as shown.
        state, progress: how far it is, 0..1.
        result: what it returned.
        error: a sentence, when it failed.
        wrong: what it failed by, when that was expected.
        key: hash of what goes into it, or "".
    """

    id: str
    title: str
    state: JobState = "waiting"
    progress: float = 0.0
    result: Any = None
    error: str = ""
    wrong: Exception | None = None
    stop: threading.Event = field(default_factory=threading.Event)
    future: Future[None] | None = None
    key: str = ""

    def on_progress(self, done: float) -> None:
        """Note the share done, 0..1.

        Raises:
            JobCancelled: when the job was told to stop.
        """
        self.progress = min(1.0, max(self.progress, done))
        if self.stop.is_set():
            raise JobCancelled

    def finished(self) -> bool:
        """Whether nothing more will happen."""
        return self.state in ("done", "failed", "cancelled")


class JobBoard:
    """Runs jobs on a few threads and keeps the newest of them."""

    def __init__(
        self,
        *,
        threads: int = 2,
        expected: tuple[type[Exception], ...] = (ValueError,),
    ) -> None:
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="job")
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()
        self._expected = expected

    def start(self, title: str, work: Callable[[Job], Any], *, key: str = "") -> Job:
        """Start a piece of work; it reports through `job.on_progress`.

        Args:
            key: hash of what goes into it; work of the same key that is still under way is joined, not begun
                again.
        """
        job = Job(secrets.token_urlsafe(12), title, key=key)
        with self._lock:
            under_way = next(
                (job for job in self._jobs.values() if key and job.key == key and not job.finished()), None
            )
            if under_way is not None and not under_way.stop.is_set():
                return under_way
            self._jobs[job.id] = job
            while len(self._jobs) > KEPT:
                oldest = next(iter(self._jobs.values()))
                if not oldest.finished():
                    break
                self._jobs.popitem(last=False)
        job.future = self._pool.submit(self._run, job, work)
        return job

    def _run(self, job: Job, work: Callable[[Job], Any]) -> None:
        if job.stop.is_set():
            job.state = "cancelled"
            return
        job.state = "running"
        try:
            job.result = work(job)
            job.progress, job.state = 1.0, "done"
        except JobCancelled:
            job.state = "cancelled"
        except self._expected as wrong:
            job.error, job.wrong, job.state = str(wrong), wrong, "failed"
        except Exception as wrong:
            log.error("job %r failed", job.title, exc_info=wrong)
            job.error, job.state = (
                "Something went wrong inside Volnik; nothing was changed. The log on the terminal says more.",
                "failed",
            )

    def job(self, job_id: str) -> Job | None:
        """A job by its id."""
        with self._lock:
            return self._jobs.get(job_id)

    def settle(self, job: Job, seconds: float) -> bool:
        """Wait a little for a job; whether it has finished."""
        if job.future is not None:
            wait([job.future], timeout=seconds)
        return job.finished()

    def cancel(self, job: Job) -> None:
        """Tell a job to stop."""
        job.stop.set()

    def close(self) -> None:
        """Stop all work."""
        for job in list(self._jobs.values()):
            job.stop.set()
        self._pool.shutdown(wait=True, cancel_futures=True)
