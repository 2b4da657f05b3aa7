import zipfile

import pytest

from verdigris.media.errors import MediaError
from verdigris.media.facts import Limits
from verdigris.store.media_folder import MediaFolder, safe_ending, unpack_stills


def _zip(path, names, content=b"x"):
    with zipfile.ZipFile(path, "w") as z:
        for name in names:
            z.writestr(name, content)
    return path


def test_names_from_a_zip_never_become_paths(tmp_path):
    archive = _zip(tmp_path / "a.zip", ["../../evil.0001.png", "/etc/cron.d/x.0002.png", "sub/dir/y.0003.png"])
    unpack_stills(archive, tmp_path / "out", Limits())
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == [f"frame.{n:09d}.png" for n in (1, 2, 3)]
    assert not (tmp_path.parent / "evil.0001.png").exists()


@pytest.mark.parametrize(
    ("names", "limits", "code"),
    [
        (["a.0001.png", "b.0001.png"], Limits(), "sequence_mixed"),
        (["readme.txt"], Limits(), "unsupported"),
        (["a.0001.png", "a.0002.png"], Limits(frames=1), "too_large"),
        (["a.0001.png"], Limits(bytes=10), "too_large"),
    ],
)
def test_zips_that_are_no_sequence_are_refused(tmp_path, names, limits, code):
    with pytest.raises(MediaError) as error:
        unpack_stills(_zip(tmp_path / "a.zip", names, b"0" * 100), tmp_path / "out", limits)
    assert error.value.code == code


def test_a_broken_zip_is_refused(tmp_path):
    (tmp_path / "a.zip").write_bytes(b"PK\x03\x04nonsense")
    with pytest.raises(MediaError) as error:
        unpack_stills(tmp_path / "a.zip", tmp_path / "out", Limits())
    assert error.value.code == "damaged"


def test_only_hashes_are_addresses(tmp_path):
    folder = MediaFolder(tmp_path)
    for bad in ("../../etc", "ABC", "a" * 63, ""):
        with pytest.raises(ValueError, match="hash"):
            folder.proxies(bad)
    with pytest.raises(MediaError):
        safe_ending("film.exe")
    assert safe_ending("../../Film.MP4") == ".mp4"
