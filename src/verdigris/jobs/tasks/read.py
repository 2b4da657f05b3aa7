"""Reading what was brought in: every frame verified, facts and proxies kept."""

from verdigris.jobs.queue import app
from verdigris.jobs.retry import WhenAsked
from verdigris.jobs.running import RunningJob, run_job
from verdigris.media.decoding_time import decoding_time
from verdigris.media.facts import Limits, MediaFacts
from verdigris.media.lut import LUT_ENDINGS, lut_facts
from verdigris.media.reader import open_media
from verdigris.runs.views.proxies import write_proxies
from verdigris.settings import Settings
from verdigris.store.database import announce, session
from verdigris.store.jobs import get_job
from verdigris.store.media import get_media
from verdigris.store.media_folder import MediaFolder


def _limits(settings: Settings) -> Limits:
    return Limits(bytes=settings.largest_upload, pixels=settings.most_pixels, frames=settings.most_frames, seconds=settings.longest_seconds)


@app.task(retry=WhenAsked(), name="verdigris.jobs.tasks.read_media", queue="work")
def read_media(job_id: str) -> None:
    """Verify every frame of an upload, read its facts, write its proxies; refuse what is not sound."""
    settings = Settings()
    folder = MediaFolder(settings.media_dir)

    def work(job: RunningJob) -> str:
        with session(settings.database_url) as s:
            media = get_media(s, get_job(s, job.id).media_hash or "")
            media_hash, ending, name = media.hash, media.ending, media.name
        source = folder.source(media_hash, ending)
        if ending == ".zip":
            source = folder.unpack_zip(media_hash, _limits(settings))
            ending = ""
        limit = decoding_time(settings.decode_seconds)
        if ending in LUT_ENDINGS:
            with limit:
                facts = lut_facts(source, name)
            _keep_facts(job, media_hash, facts, ending)
            _ready(job, media_hash)
            return f"Its looks are {', '.join(facts.looks)}." if facts.looks else "The table was read."
        with limit as go_on, open_media(source, limits=_limits(settings), name=name) as reader:
            _keep_facts(job, media_hash, reader.facts, ending)

            def progress(done: int, total: int) -> None:
                go_on()
                job.progress(done, total, "reading every frame")
                if done % 8 == 0 or done == total:
                    _keep_proxies(job, media_hash, done)

            if not write_proxies(reader, folder.proxies(media_hash), progress, job.stopping):
                return "Stopped; the frames read so far are kept. Bring the same file in again to go on."
            facts = reader.facts
        _keep_facts(job, media_hash, facts, ending)
        _ready(job, media_hash)
        return "Every frame was decoded." + "".join(f" {note}" for note in facts.notes)

    run_job(settings.database_url, job_id, work)


def _ready(job: RunningJob, media_hash: str) -> None:
    with session(job.url) as s:
        job.writing(s)
        get_media(s, media_hash).state = "ready"
        announce(s, "media", media=media_hash)


def _keep_facts(job: RunningJob, media_hash: str, facts: MediaFacts, ending: str) -> None:
    with session(job.url) as s:
        job.writing(s)
        media = get_media(s, media_hash)
        media.facts, media.ending = facts.model_dump(mode="json"), ending
        announce(s, "media", media=media_hash)


def _keep_proxies(job: RunningJob, media_hash: str, done: int) -> None:
    with session(job.url) as s:
        job.writing(s)
        media = get_media(s, media_hash)
        media.proxies = max(media.proxies, done)
        announce(s, "media", media=media_hash)
