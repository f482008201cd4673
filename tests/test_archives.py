"""Zip files of others: damaged, too large, and made to deceive; read in a process that can be ended."""

from __future__ import annotations

import io
import os
import random
import stat
import time
import zipfile
from pathlib import Path

import pytest

from tesoura.archives import DAMAGED, Archive, in_own_process
from tesoura.errors import FileRefused

SEED = int(os.environ.get("FUZZ_SEED", "7"))
DAMAGES = int(os.environ.get("FUZZ_ARCHIVES", "400"))
WORDS = b"three kites over the pier\n" * 400


def packed(*parts: tuple[str | zipfile.ZipInfo, bytes], how: int = zipfile.ZIP_DEFLATED) -> io.BytesIO:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", how) as archive:
        for name, data in parts:
            archive.writestr(name, data, how)
    return file


def read_all(file: io.BytesIO, most_bytes: int = 1_000_000) -> dict[str, bytes]:
    with Archive(file, 20, most_bytes) as archive:
        return {name: b"".join(archive.blocks(name)) for name in archive.sizes}


def test_parts_come_out_as_they_went_in_and_folders_are_none() -> None:
    parts = [("a.json", b"{}"), ("files/b", WORDS), ("files/", b"")]
    assert read_all(packed(*parts)) == {"a.json": b"{}", "files/b": WORDS}
    assert read_all(packed(("a", WORDS), how=zipfile.ZIP_STORED)) == {"a": WORDS}


@pytest.mark.parametrize("how", [zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2])
def test_other_ways_of_packing_are_refused(how: int) -> None:
    with pytest.raises(FileRefused, match="is encrypted or compressed in an unsupported way"):
        read_all(packed(("a", WORDS), how=how))


@pytest.mark.parametrize("name", ["../a", "a/../../b", "/etc/x", "C:\\x", "C:x", "a\\..\\b", "a//b", "./a", ".."])
def test_a_name_that_leads_out_is_refused(name: str) -> None:
    with pytest.raises(FileRefused, match="in the file points outside its folder"):
        read_all(packed((name, b"x")))


@pytest.mark.parametrize("kind", [stat.S_IFLNK, stat.S_IFIFO, stat.S_IFCHR, stat.S_IFSOCK])
def test_links_and_devices_are_refused(kind: int) -> None:
    part = zipfile.ZipInfo("a")
    part.external_attr = (kind | 0o644) << 16
    with pytest.raises(FileRefused, match="is a link or device"):
        read_all(packed((part, b"/etc/passwd")))


@pytest.mark.filterwarnings("ignore:Duplicate name")
def test_a_part_that_is_there_twice_is_refused() -> None:
    with pytest.raises(FileRefused, match="is in the file twice"):
        read_all(packed(("a", b"x"), ("a", b"y")))


def test_an_encrypted_part_is_refused() -> None:
    data = bytearray(packed(("a", WORDS)).getvalue())
    data[data.index(b"PK\1\2") + 8] |= 1
    with pytest.raises(FileRefused, match="is encrypted"):
        read_all(io.BytesIO(bytes(data)))


def test_what_unpacks_to_too_much_is_refused_before_it_is_unpacked() -> None:
    with pytest.raises(FileRefused, match=r"unpacks to 50 MB; at most 1 MB fit"):
        read_all(packed(("a", b"0" * 50_000_000)))
    with Archive(packed(("list", b"[" + b"0," * 500_000 + b"0]")), 1, 10**9) as archive:
        with pytest.raises(FileRefused, match=r"has 1 MB; at most 0\.1 MB fit"):
            archive.document("list", 100_000)
        with pytest.raises(KeyError):
            archive.document("other", 100_000)
    many = b'{"a":' * 40 + b"[" + b"[]," * 1_000_000 + b"0]" + b"}" * 40
    with Archive(packed(("list", many)), 1, 10**9) as archive, pytest.raises(FileRefused, match="1,000,000 values"):
        archive.document("list", 10**9)


def test_a_size_that_is_a_lie_is_found_out() -> None:
    data = packed(("a", b"0" * 5_000_000)).getvalue()
    size = (5_000_000).to_bytes(4, "little")
    for lie in (100, 2**31):
        told = data.replace(size, lie.to_bytes(4, "little"))
        with pytest.raises(FileRefused):
            read_all(io.BytesIO(told), 10**10)


def test_more_parts_than_there_may_be_are_refused_by_the_length_of_their_list() -> None:
    began = time.perf_counter()
    with pytest.raises(FileRefused, match="lists too many parts"):
        read_all(packed(*[(f"files/{number:040}", b"") for number in range(300)]))
    with pytest.raises(FileRefused, match="21 parts; at most 20 fit"):
        read_all(packed(*[(str(number), b"") for number in range(21)]))
    assert time.perf_counter() - began < 5


def test_a_disk_without_room_is_told_before_anything_is_written(tmp_path: Path) -> None:
    with Archive(packed(("a", WORDS)), 1, 10**9) as archive:
        archive.must_fit(tmp_path)
        with pytest.raises(FileRefused, match=r"This needs .* MB, and .* MB are free"):
            archive.must_fit(tmp_path, 10**15)


def test_no_damage_is_anything_but_refused() -> None:
    """Whatever bytes are changed, cut or moved: each part is as it was, or the file is refused."""
    chance, refused = random.Random(SEED), 0
    parts = {"a.json": b'{"kind": "kite"}', "files/b": WORDS, "files/c": bytes(range(256)) * 20}
    sound = packed(*parts.items()).getvalue()
    for turn in range(DAMAGES):
        made = bytearray(sound)
        for _ in range(chance.choice((1, 1, 2, 8))):
            at, kind = chance.randrange(len(made) or 1), chance.randrange(5)
            if kind == 0:
                made[at : at + 1] = bytes([chance.randrange(256)])
            elif kind == 1:
                made[at : at + 4] = chance.choice((b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff"))
            elif kind == 2:
                del made[at : at + chance.choice((1, 30, 400))]
            elif kind == 3:
                del made[max(at, 1) :]
            else:
                made[at:at] = made[at : at + 50]
        try:
            found = read_all(io.BytesIO(bytes(made)))
        except FileRefused:
            refused += 1
            continue
        assert set(found.values()) <= set(parts.values()), turn
    assert DAMAGES / 2 < refused < DAMAGES


def _takes_all(path: Path) -> int:
    return len([bytes(100_000_000) for _ in range(40)])


def _never_ends(path: Path) -> None:
    while True:
        pass


def _fails(path: Path) -> None:
    raise ZeroDivisionError("of our own making")


def _refuses(path: Path) -> None:
    raise FileRefused("It has no kites.")


def test_a_job_that_takes_too_much_or_too_long_is_ended(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "x.zip"
    file.write_bytes(b"x")
    with pytest.raises(FileRefused, match="too much memory"):
        in_own_process(_takes_all, file)
    with pytest.raises(FileRefused, match="It has no kites"):
        in_own_process(_refuses, file)
    with pytest.raises(FileRefused, match=DAMAGED):
        in_own_process(_fails, file)
    monkeypatch.setattr("tesoura.archives.LEAST_S", 1.0)
    with pytest.raises(FileRefused, match="takes too long"):
        in_own_process(_never_ends, file)
