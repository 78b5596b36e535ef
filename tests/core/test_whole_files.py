"""Files are written whole, and stay whose and what they were."""

import os
import subprocess
import sys

import pytest

from schablone.core.problem import SchabloneError
from schablone.core.whole_files import write_whole


def left(folder) -> list[str]:
    return [path.name for path in folder.iterdir() if path.name.endswith(".part")]


def test_mode_and_attributes_stay(tmp_path) -> None:
    path = tmp_path / "a.schablone"
    path.write_bytes(b"before")
    os.chmod(path, 0o640)
    try:
        os.setxattr(path, "user.note", b"mine")
        attributes = True
    except OSError:
        attributes = False  # a disk that has none
    write_whole(path, b"after")
    assert path.read_bytes() == b"after"
    assert path.stat().st_mode & 0o777 == 0o640
    assert not attributes or os.getxattr(path, "user.note") == b"mine"
    assert not left(tmp_path)


def test_links_lead_to_the_file_and_other_names_stay_its_names(tmp_path) -> None:
    (tmp_path / "there").mkdir()
    path, link, name = tmp_path / "there" / "a", tmp_path / "link", tmp_path / "other name"
    path.write_bytes(b"a longer text before")
    link.symlink_to(path)
    os.link(path, name)
    write_whole(link, b"after")
    assert link.is_symlink()
    assert path.read_bytes() == name.read_bytes() == b"after"
    assert path.stat().st_nlink == 2
    assert not left(tmp_path / "there")


def test_a_link_to_itself_is_told(tmp_path) -> None:
    one, other = tmp_path / "one", tmp_path / "other"
    one.symlink_to(other)
    other.symlink_to(one)
    with pytest.raises(SchabloneError, match="leads back to itself"):
        write_whole(one, b"x")


def test_a_protected_file_is_left_as_it_is(tmp_path) -> None:
    path = tmp_path / "kept"
    path.write_bytes(b"before")
    os.chmod(path, 0o444)
    with pytest.raises(SchabloneError, match="protected against writing") as told:
        write_whole(path, b"after")
    assert "under another name" in str(told.value)
    assert path.read_bytes() == b"before"


@pytest.mark.parametrize("name", ["n" * 250, "ü" * 125, "🐝" * 62])
def test_names_as_long_as_they_may_be(tmp_path, name) -> None:
    write_whole(tmp_path / name, b"x")
    assert (tmp_path / name).read_bytes() == b"x"
    with pytest.raises(SchabloneError, match="too long"):
        write_whole(tmp_path / (name + "n" * 10), b"x")


def test_what_a_killed_writer_left_is_cleared(tmp_path) -> None:
    path = tmp_path / "a"
    killed = (
        "import os, signal, sys; import schablone.core.whole_files as w; from pathlib import Path;"
        "os.replace = lambda *_: os.kill(os.getpid(), signal.SIGKILL);"
        "w.write_whole(Path(sys.argv[1]), b'half')"
    )
    path.write_bytes(b"before")
    subprocess.run([sys.executable, "-c", killed, str(path)], check=False)
    assert path.read_bytes() == b"before"
    assert len(left(tmp_path)) == 1
    (tmp_path / "mine.part").write_bytes(b"of somebody else")
    write_whole(path, b"after")
    assert path.read_bytes() == b"after"
    assert left(tmp_path) == ["mine.part"]
