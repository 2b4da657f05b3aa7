"""The media folder: everything by content hash or id; names from outside never become paths."""

import errno
import hashlib
import lzma
import os
import re
import shutil
import tempfile
import zipfile
import zlib
from pathlib import Path

from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.media.lut import LUT_ENDINGS
from verdigris.media.stills import DRAWING_ENDINGS, STILL_ENDINGS

_HASH = re.compile(r"^[0-9a-f]{64}$")
_NUMBERED = re.compile(r"(\d{1,9})(\.[A-Za-z]{3,4})$")
FILM_ENDINGS = (".mp4", ".mov", ".m4v", ".mkv")


class MediaFolder:
    """Paths below one root, shared by web process and workers."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()

    def free(self) -> int:
        """Free room on its disk, bytes."""
        self.root.mkdir(parents=True, exist_ok=True)
        return shutil.disk_usage(self.root).free

    def incoming(self) -> Path:
        """A new temporary folder for an upload, on the same disk."""
        (self.root / "incoming").mkdir(parents=True, exist_ok=True)
        return Path(tempfile.mkdtemp(dir=self.root / "incoming"))

    def _blob(self, media_hash: str) -> Path:
        if not _HASH.match(media_hash):
            raise ValueError("not a content hash")
        return self.root / "blobs" / media_hash[:2] / media_hash

    def source(self, media_hash: str, ending: str) -> Path:
        """The file, or for a sequence the folder, of some media."""
        return self._blob(media_hash) / ("source" if ending == "" else f"source{ending}")

    def proxies(self, media_hash: str) -> Path:
        """Folder of proxies of some media."""
        return self._blob(media_hash) / "proxies"

    def near(self, media_hash: str) -> Path:
        """Folder of frames that are kept decoded, around reference frames."""
        return self._blob(media_hash) / "near"

    def first_steps(self, media_hash: str) -> Path:
        """Folder of first steps that were taken ahead on some plate, one folder to a set of settings."""
        return self._blob(media_hash) / "first-steps"

    def crops(self, take: object) -> Path:
        """Folder of evidence crops of a take."""
        return self.root / "takes" / str(take)

    def share_crops(self, source: Path, target: object, looks: bool = False) -> None:
        """Begin a take's evidence with crops that are there already: the same files until they are written anew.

        Parameters
        ----------
        looks : take over what first looks showed as well
        """
        self.crops(target).mkdir(parents=True, exist_ok=True)
        for kept in [*source.glob("*.jpg"), *(source.glob("*.npz") if looks else ())]:
            os.link(kept, self.crops(target) / kept.name)

    def delivery(self, delivery: object) -> Path:
        """Folder of a delivery."""
        return self.root / "deliveries" / str(delivery)

    def adopt(self, temporary: Path, media_hash: str, ending: str) -> bool:
        """Move an upload (file or folder) to its place; False when it was there already."""
        target = self.source(media_hash, ending)
        if target.exists():
            return False
        target.parent.mkdir(parents=True, exist_ok=True)
        temporary.replace(target)
        return True

    def unpack_zip(self, media_hash: str, limits: Limits) -> Path:
        """The stills of an uploaded zip, unpacked beside it; the zip goes once they are there, and a zip that is refused leaves nothing."""
        stills = self.source(media_hash, "")
        if not stills.exists():
            unpacking = Path(tempfile.mkdtemp(dir=self._blob(media_hash), prefix="unpacking-"))
            try:
                unpack_stills(self.source(media_hash, ".zip"), unpacking / "stills", limits)
                (unpacking / "stills").replace(stills)
            finally:
                shutil.rmtree(unpacking, ignore_errors=True)
        self.source(media_hash, ".zip").unlink(missing_ok=True)
        return stills

    def forget(self, media_hash: str) -> None:
        """Remove some media and everything made from it."""
        shutil.rmtree(self._blob(media_hash), ignore_errors=True)


def plain_name(name: str) -> str:
    """What people call a file, without folders and without characters that cannot be shown or kept."""
    return "".join(c for c in Path(name.replace("\0", "")).name if c.isprintable())


def safe_ending(name: str) -> str:
    """Ending of an upload's name if it is one that is read here.

    Raises
    ------
    MediaError
        `unsupported` for any other.
    """
    ending = Path(name).suffix.lower()
    if ending not in (*FILM_ENDINGS, *STILL_ENDINGS, *DRAWING_ENDINGS, *LUT_ENDINGS, ".zip"):
        raise MediaError(
            "unsupported",
            f"{Path(name).name} is not read here. Films are MP4, MOV and MKV; "
            "stills are PNG, JPEG, TIFF, OpenEXR and SVG, numbered ones as a folder or zip.",
        )
    return ending


def still_number(name: str) -> tuple[int, str]:
    """Number and ending of a numbered still's name; MediaError `unsupported` without one."""
    found = _NUMBERED.search(name)
    if found is None or found.group(2).lower() not in STILL_ENDINGS:
        raise MediaError("unsupported", f"{Path(name).name} is not a numbered still (name.0001.png and the like).")
    return int(found.group(1)), found.group(2).lower()


def unpack_stills(archive: Path, into: Path, limits: Limits) -> None:
    """Unpack the numbered stills of a zip, renamed by their numbers; sizes are checked before and while unpacking.

    Raises
    ------
    MediaError
        `damaged`, `unsupported` or `too_large`.
    """
    into.mkdir(parents=True)
    try:
        with zipfile.ZipFile(archive) as z:
            members = [m for m in z.infolist() if not m.is_dir() and not Path(m.filename).name.startswith((".", "__"))]
            if len(members) > limits.frames:
                raise MediaError("too_large", f"The zip holds more than {limits.frames} files.")
            if sum(m.file_size for m in members) > limits.bytes:
                raise MediaError("too_large", f"The zip unpacks to more than {limits.bytes // 2**30} GB.")
            written = 0
            for member in members:
                number, ending = still_number(member.filename)
                target = into / f"frame.{number:09d}{ending}"
                if target.exists():
                    raise MediaError("sequence_mixed", f"Two stills have the number {number}.")
                with z.open(member) as source, target.open("xb") as out:
                    while chunk := source.read(1 << 20):
                        written += len(chunk)
                        # The directory of a hostile zip may lie about sizes.
                        if written > limits.bytes:
                            raise MediaError("too_large", f"The zip unpacks to more than {limits.bytes // 2**30} GB.")
                        out.write(chunk)
    except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError, zlib.error, lzma.LZMAError, ValueError, OSError) as error:
        if isinstance(error, OSError) and error.errno != errno.EINVAL:
            raise  # about this machine's disk, not about the zip
        raise MediaError("damaged", "The zip cannot be unpacked: it is cut short, damaged or locked.") from error


def folder_hash(folder: Path) -> str:
    """SHA-256 over names and contents of a folder's files, in order."""
    total = hashlib.sha256()
    for file in sorted(folder.iterdir()):
        total.update(file.name.encode() + b"\0" + bytes.fromhex(file_hash(file)))
    return total.hexdigest()


def file_hash(path: Path) -> str:
    """SHA-256 of a file."""
    with path.open("rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()
