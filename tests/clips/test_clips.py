"""Pieces of video: looked into, cut to the picture, made anew where they must be; and what is no clip at all."""

from __future__ import annotations

import asyncio
import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import pytest
from PIL import Image

from tesoura.clips import work
from tesoura.clips.cutting import cut
from tesoura.clips.probing import ClipFacts, probe
from tesoura.clips.stills import keep_strip, stills
from tesoura.clips.tail import excerpt
from tesoura.clips.workers import ClipWorker
from tesoura.errors import FileRefused, TooMuch
from tesoura.standins.picture import BLOCKS, RollingPicture, drawn, read_blocks

BEGIN_MS = 1_790_000_000_000
MASK = (1 << BLOCKS) - 1
S = 1_000_000


@pytest.fixture(scope="module")
def picture() -> RollingPicture:
    """Eight seconds of a picture."""
    made = RollingPicture()
    made.cut(BEGIN_MS + 3_000)
    made.fill(BEGIN_MS + 8_000, BEGIN_MS)
    return made


@pytest.fixture(scope="module")
def clip(picture: RollingPicture, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """All of it as an MP4."""
    path = tmp_path_factory.mktemp("clips") / "a.mp4"
    picture.save(path, 8)
    return path


def made(
    path: Path,
    codec: str,
    pixels: str = "yuv420p",
    size: tuple[int, int] = (160, 90),
    rate: int = 30,
    times: Callable[[int], int] = lambda one: one,
    count: int = 30,
    sound: str = "",
    **given: Any,
) -> Path:
    """A small clip of one kind, each picture at its time in pictures."""
    with av.open(str(path), "w") as out:
        stream: Any = out.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = *size, pixels
        for name, value in given.items():
            setattr(stream.codec_context, name, value)
        heard: Any = out.add_stream(sound, rate=48_000) if sound else None
        for one in range(count):
            image = Image.new("RGB", size, (one * 8 % 256, 90, 90))
            frame: Any = av.VideoFrame.from_image(image).reformat(format=pixels)
            frame.pts, frame.time_base = times(one), Fraction(1, rate)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if heard is not None:
            for one in range(30):
                quiet: Any = av.AudioFrame("s16", "stereo", 1024)
                quiet.planes[0].update(bytes(quiet.planes[0].buffer_size))
                quiet.sample_rate, quiet.pts = 48_000, one * 1024
                out.mux(heard.encode(quiet))
            out.mux(heard.encode(None))
    return path


def shown(path: Path, at: int) -> int:
    """Which instant of the picture is seen at a time, ms after its beginning."""
    return read_blocks(stills(path, [at], 640)[0]) - (BEGIN_MS & MASK)


@pytest.mark.parametrize("begin", [0, 1, 33_334, 990_000, S, 2_400_000, 4_990_000, 7_000_000])
def test_what_is_cut_begins_at_the_very_picture_that_was_wished_for(clip: Path, tmp_path: Path, begin: int) -> None:
    found = cut(clip, tmp_path / "b.mp4", begin, 7_800_000)
    # Packets begin at a key picture, one a second; what is wished for lies `offset` behind it.
    assert found.offset == pytest.approx(begin % S, abs=1)
    assert begin - 34_000 <= shown(tmp_path / "b.mp4", found.offset) * 1000 <= begin
    assert found.offset + 7_800_000 - begin <= found.length + 1 <= found.offset + 7_800_000 - begin + 34_001


@pytest.mark.parametrize("ending", ["mkv", "ts"])
def test_other_containers_are_cut_to_an_mp4_alike(picture: RollingPicture, tmp_path: Path, ending: str) -> None:
    source = tmp_path / f"a.{ending}"
    picture.save(source, 8)
    assert probe(source).words == "0:08, 640 × 360, h264 and aac"
    found = cut(source, tmp_path / "b.mp4", 2_400_000, 5 * S)
    assert 2_366 <= shown(tmp_path / "b.mp4", found.offset) <= 2_400
    assert probe(tmp_path / "b.mp4").made_anew == ""


def test_pictures_of_any_distance_are_cut_as_they_are(tmp_path: Path) -> None:
    # Of variable rate: 1, 4, 9, 16 … thirtieths of a second apart.
    source = made(tmp_path / "a.mp4", "libx264", times=lambda one: one * one, count=12, gop_size=2)
    facts = probe(source)
    assert facts.made_anew == ""
    assert abs(facts.length - 122 * S // 30) <= 2 * S // 30
    found = cut(source, tmp_path / "b.mp4", S, 2 * S)
    assert 0 <= found.offset <= S


@pytest.mark.parametrize(
    ("given", "why"),
    [
        ({"codec": "mpeg4"}, "browsers can't play mpeg4"),
        ({"codec": "libx264", "pixels": "yuv444p"}, "its colour format is yuv444p"),
        ({"codec": "libx265", "pixels": "yuv420p10le"}, "browsers can't play hevc"),
        ({"codec": "libx264", "pixels": "yuv420p10le"}, "its colour format is yuv420p10le"),
        ({"codec": "libx264", "color_trc": 16}, "it is HDR"),
        ({"codec": "libx264", "size": (3840, 2160), "count": 6}, "3840 × 2160 is larger than a stream"),
        ({"codec": "libx264", "rate": 120}, "120 frames per second are more than a stream shows"),
        ({"codec": "libx264", "sound": "flac"}, "browsers can't play flac"),
    ],
)
def test_what_no_browser_plays_as_it_is_is_known_and_made_anew(tmp_path: Path, given: dict[str, Any], why: str) -> None:
    source = made(tmp_path / "a.mkv", **given)
    assert probe(source).made_anew == why
    told = {"path": str(source), "folder": str(tmp_path / "kept")}
    assert work.take(told, lambda share: None) == {"anew": why}
    kept = work.take({**told, "may_encode": True}, lambda share: None)
    facts = probe(tmp_path / "kept" / kept["file"])
    assert (facts.codec, facts.made_anew, facts.sound) == ("vp9", "", "opus" if given.get("sound") else "")
    assert facts.width_px <= 1920
    assert facts.length == pytest.approx(probe(source).length, abs=70_000)


def test_what_plays_stays_packet_for_packet(tmp_path: Path) -> None:
    source = made(tmp_path / "a.webm", "libvpx-vp9", sound="libopus")
    kept = work.take({"path": str(source), "folder": str(tmp_path / "kept")}, lambda share: None)
    assert (kept["type"], kept["codec"], kept["sound"], kept["anew"]) == ("video/webm", "vp9", "opus", "")


def test_a_picture_on_its_side_is_set_upright(clip: Path, tmp_path: Path) -> None:
    data = bytearray(clip.read_bytes())
    at = data.index(b"tkhd") + 4 + 4 * 6 + 8 + 8
    data[at : at + 20] = b"".join(one.to_bytes(4, "big", signed=True) for one in (0, 1 << 16, 0, -(1 << 16), 0))
    source = tmp_path / "side.mp4"
    source.write_bytes(data)
    facts = probe(source)
    assert (facts.width_px, facts.height_px, facts.made_anew) == (360, 640, "the picture is rotated")
    told = {"path": str(source), "folder": str(tmp_path / "kept"), "may_encode": True, "begin": 0, "end": S}
    kept = work.take(told, lambda share: None)
    upright = stills(tmp_path / "kept" / kept["file"], [500_000], 360)[0]
    assert upright.size == (360, 640)
    # Turned by a quarter to the right, the row of blocks is the column at the right.
    column = upright.convert("L").crop((345, 0, 359, 640)).resize((1, BLOCKS))
    seen = int("".join("1" if int(str(column.getpixel((0, one)))) > 127 else "0" for one in range(BLOCKS)), 2)
    assert seen - (BEGIN_MS & MASK) in (466, 500)


def no_clips(clip: Path, tmp_path: Path) -> Iterator[tuple[bytes, str]]:
    whole = clip.read_bytes()
    yield b"", "The clip is empty"
    yield b"<!doctype html><p>Not found</p>", "This is a web page, not a clip"
    yield whole[: len(whole) // 2], "The MP4 is incomplete:"
    yield b"#EXTM3U\n#EXTINF:10,\n/etc/passwd\n", "Not a readable video"
    yield b"\x00\x01" * 5000, "Not a readable video"
    made(tmp_path / "raw.h264", "libx264")
    yield (tmp_path / "raw.h264").read_bytes(), "Not a readable video"
    with av.open(str(tmp_path / "heard.mp4"), "w") as out:
        stream: Any = out.add_stream("aac", rate=48_000)
        quiet: Any = av.AudioFrame("s16", "stereo", 1024)
        quiet.sample_rate = 48_000
        out.mux(stream.encode(quiet))
        out.mux(stream.encode(None))
    yield (tmp_path / "heard.mp4").read_bytes(), "The clip has sound but no picture"


def test_what_is_no_clip_is_refused_with_what_it_is_instead(clip: Path, tmp_path: Path) -> None:
    for data, words in no_clips(clip, tmp_path):
        source = tmp_path / "clip.mp4"
        source.write_bytes(data)
        with pytest.raises(FileRefused, match=words):
            work.take({"path": str(source), "folder": str(tmp_path / "kept")}, lambda share: None)
    assert list((tmp_path / "kept").glob("*")) == []


@pytest.mark.parametrize(
    "playlist",
    [
        "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\n{}\n#EXT-X-ENDLIST\n",
        "ffconcat version 1.0\nfile '{}'\n",
        '<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="static" '
        'mediaPresentationDuration="PT10S">'
        '<Period><AdaptationSet mimeType="video/mp4"><Representation id="1" bandwidth="1"><BaseURL>{}</BaseURL>'
        "</Representation></AdaptationSet></Period></MPD>",
        "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=k\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\n"
        "a=rtpmap:96 H264/90000\n",
    ],
)
def test_what_a_playlist_names_is_not_opened(tmp_path: Path, playlist: str) -> None:
    # Who opened the pipe would wait there for ever.
    os.mkfifo(tmp_path / "part.ts")
    source = tmp_path / "clip.m3u8"
    source.write_text(playlist.format(tmp_path / "part.ts"))
    with pytest.raises(FileRefused, match=r"Not a readable video|a web page"):
        probe(source)


def test_of_four_hours_a_part_is_taken_and_all_of_it_is_not(tmp_path: Path) -> None:
    source = made(tmp_path / "a.mkv", "libx264", rate=1, times=lambda one: one * 480, count=31, gop_size=1)
    told = {"path": str(source), "folder": str(tmp_path / "kept")}
    with pytest.raises(FileRefused, match="240:01 long; at most 10 minutes are allowed"):
        work.take(told, lambda share: None)
    kept = work.take({**told, "from_end": [1000 * S, 900 * S]}, lambda share: None)
    assert (kept["begin"], kept["end"]) == (13_401 * S, 13_501 * S)


@pytest.mark.parametrize(
    ("from_end", "why"),
    [
        ([-300, -305], "it ends 5 min before them. Was it written too early"),
        ([-2, -3], r"it ends 2\.0 s before them"),
        ([40, 20], r"it begins 12\.0 s after them. Does its source keep enough"),
        ([4, 4], "The clip contains none of the requested seconds\\.$"),
    ],
)
def test_seconds_that_are_not_in_the_clip_are_refused_with_how_far_they_are(
    clip: Path, tmp_path: Path, from_end: list[int], why: str
) -> None:
    told = {"path": str(clip), "folder": str(tmp_path), "from_end": [one * S for one in from_end]}
    with pytest.raises(FileRefused, match=why):
        work.take(told, lambda share: None)


def test_a_filmstrip_has_eight_pictures_from_the_beginning_to_the_end(clip: Path, tmp_path: Path) -> None:
    keep_strip(clip, tmp_path / "strip.webp", 0, 8 * S)
    with Image.open(tmp_path / "strip.webp") as strip:
        assert strip.size == (8 * 160, 90)


@pytest.mark.parametrize("ending", ["mkv", "ts", "mp4"])
def test_the_end_of_a_recording_that_goes_on_is_a_file_of_its_own(tmp_path: Path, ending: str) -> None:
    picture, source = RollingPicture(), tmp_path / f"a.{ending}"
    picture.record(source)
    picture.fill(BEGIN_MS + 4_000, BEGIN_MS)
    size = source.stat().st_size
    excerpt(source, tmp_path / f"tail.{ending}", size // 2)
    assert (tmp_path / f"tail.{ending}").stat().st_size < size * 0.8
    facts = probe(tmp_path / f"tail.{ending}")
    assert 800_000 < facts.length < 3 * S
    last = shown(tmp_path / f"tail.{ending}", facts.length - 40_000)
    # Fragments are written when the next one begins.
    assert 2_000 <= last < 4_000
    picture.record(None)


def test_what_cannot_be_read_while_it_grows_is_said_to_be_so(clip: Path, tmp_path: Path) -> None:
    with pytest.raises(FileRefused, match="This MP4 can't be read until it is finished"):
        excerpt(clip, tmp_path / "b.mp4", 1000)


# The processes


def asked(worker: ClipWorker, do: str, **given: Any) -> Any:
    async def run() -> Any:
        try:
            return await worker.run(do, given)
        finally:
            await worker.stop()

    return asyncio.run(run())


def test_a_process_answers_refuses_and_goes_on(clip: Path, tmp_path: Path) -> None:
    async def run() -> tuple[Any, str, Any]:
        worker = ClipWorker()
        try:
            looked = await worker.run("look", {"path": str(clip)})
            with pytest.raises(FileRefused) as refused:
                await worker.run("look", {"path": str(tmp_path / "none.mp4")})
            again = await worker.run("look", {"path": str(clip)})
        finally:
            await worker.stop()
        return looked, str(refused.value), again

    looked, refused, again = asyncio.run(run())
    assert looked["words"] == "0:08, 640 × 360, h264 and aac"
    assert refused == "The clip no longer exists (No such file or directory)."
    assert looked == again


def test_a_process_that_takes_too_long_or_is_stopped_is_ended_and_leaves_nothing(clip: Path, tmp_path: Path) -> None:
    plan = {
        "clips": [{"file": clip.name, "begin": 0, "end": 8 * S, "caption": "x"}] * 9,
        "width_px": 1920,
        "height_px": 1080,
        "title": "Long",
        "under": "",
    }
    with pytest.raises(TooMuch, match="took longer than 2 s"):
        asked(ClipWorker(limit_s=2), "reel", folder=str(clip.parent), plan=plan)

    async def stopped() -> None:
        worker = ClipWorker()
        began = asyncio.Event()
        given = {"folder": str(clip.parent), "plan": plan}
        job = asyncio.ensure_future(worker.run("reel", given, lambda _: began.set()))
        await began.wait()
        job.cancel()
        await asyncio.gather(job, return_exceptions=True)
        assert worker._process is None
        assert (await worker.run("look", {"path": str(clip)}))["codec"] == "h264"
        await worker.stop()

    asyncio.run(stopped())


def test_a_disk_that_is_full_is_told_and_nothing_half_is_left(clip: Path, tmp_path: Path) -> None:
    full = (
        "import resource, signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN);"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000));"
        "from tesoura.clips.work import main; main()"
    )
    job = json.dumps({"do": "take", "path": str(clip), "folder": str(tmp_path / "kept")})
    done = subprocess.run([sys.executable, "-c", full], input=job + "\n", capture_output=True, text=True, check=False)
    told = json.loads(done.stdout.splitlines()[-1])
    assert "Is the disk full?" in told["refused"]
    assert list((tmp_path / "kept").iterdir()) == []


# Reels


def test_a_reel_has_a_title_each_clip_in_its_order_and_a_chapter_for_each(clip: Path, tmp_path: Path) -> None:
    plan = {
        "clips": [
            {"file": clip.name, "begin": 5 * S, "end": 6 * S, "caption": "the second one first"},
            {"file": clip.name, "begin": S, "end": 2 * S, "caption": ""},
        ],
        "width_px": 640,
        "height_px": 360,
        "title": "The Windy Ladder",
        "under": "Thursday",
    }
    shares: list[float] = []
    kept = work.reel({"folder": str(clip.parent), "plan": plan}, shares.append)
    reel = clip.parent / kept["file"]
    with av.open(str(reel)) as container:
        found = [
            (float(one["start"] * one["time_base"]), one["metadata"].get("title", "")) for one in container.chapters()
        ]
    assert found == [(2.5, "the second one first"), (pytest.approx(3.5, abs=0.04), "")]
    assert abs(shown(reel, 2_700_000) - 5_200) <= 34
    assert abs(shown(reel, 4_000_000) - 1_500) <= 70
    assert shares == sorted(shares)
    assert shares[-1] > 0.9
    # The caption is drawn over the picture, and not any more over the clip without one.
    first, second = stills(reel, [2_700_000, 4_000_000], 640)
    strip = first.crop((30, 295, 60, 325)).convert("L").resize((1, 1)).getpixel((0, 0))
    assert strip != second.crop((30, 295, 60, 325)).convert("L").resize((1, 1)).getpixel((0, 0))


def test_a_reel_of_clips_that_are_gone_is_refused(tmp_path: Path) -> None:
    plan = {
        "clips": [{"file": "0" * 32 + ".mp4", "begin": 0, "end": S, "caption": ""}],
        "width_px": 320,
        "height_px": 180,
        "title": "x",
        "under": "",
    }
    with pytest.raises(FileRefused, match="no longer exists"):
        work.reel({"folder": str(tmp_path), "plan": plan}, lambda share: None)
    assert list(tmp_path.iterdir()) == []


def test_the_made_up_picture_can_be_read_back() -> None:
    for at_ms in (BEGIN_MS, BEGIN_MS + 1, 0, MASK):
        assert read_blocks(drawn(at_ms, ())) == at_ms & MASK
    assert isinstance(ClipFacts(S, 0, 640, 360, "h264", "", 30.0, 1).words, str)


def test_an_error_of_our_own_is_told_as_such_and_shown_in_the_terminal(
    clip: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    with pytest.raises(FileRefused, match=r"An error in Tesoura stopped this \(KeyError: 'path'\)"):
        asked(ClipWorker(), "look")
    assert "KeyError: 'path'" in capfd.readouterr().err
