"""Files that are added are judged by their content, made safe, or refused with what would be right."""

from __future__ import annotations

import io
import struct
import zipfile
import zlib
from pathlib import Path
from typing import Any

import brotli
import pytest
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont
from fontTools.ttLib.woff2 import WOFF2DirectoryEntry
from PIL import Image

from tesoura.errors import FileRefused
from tesoura.settings import STATIC
from tesoura.uploads import files, sheets
from tesoura.uploads.added import Added
from tesoura.uploads.files import checked
from tesoura.uploads.pictures import extremes


def png(width: int = 64, height: int = 32, colour: str = "#C81E1E", kind: str = "PNG", **more: Any) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (width, height), colour).save(out, kind, **more)
    return out.getvalue()


def refused(kind: str, data: bytes) -> str:
    with pytest.raises(FileRefused) as caught:
        checked(kind, data)
    return str(caught.value)


@pytest.mark.parametrize(("kind", "ending"), [("PNG", "png"), ("JPEG", "jpg"), ("WEBP", "webp"), ("GIF", "gif")])
def test_pictures_are_told_by_their_content(kind: str, ending: str) -> None:
    added = checked("picture", png(kind=kind))
    assert (added.ending, added.width_px, added.height_px) == (ending, 64, 32)


@pytest.mark.parametrize("kind", ["GIF", "PNG"])
def test_animated_pictures_are_known_as_such(kind: str) -> None:
    first, second = (Image.new("RGB", (8, 8), colour) for colour in ("#000000", "#FFFFFF"))
    out = io.BytesIO()
    first.save(out, kind, save_all=True, append_images=[second], duration=100, loop=0)
    assert checked("picture", out.getvalue()).facts == {"frames": 2}


def test_an_animation_cut_anywhere_is_taken_or_refused_and_breaks_nothing() -> None:
    first, *others = (Image.new("RGB", (64, 64), colour) for colour in ("#000000", "#FFFFFF", "#C81E1E"))
    for kind in ("GIF", "PNG", "WEBP"):
        out = io.BytesIO()
        first.save(out, kind, save_all=True, append_images=others, duration=100)
        for length in range(0, len(out.getvalue()), 7):
            try:
                checked("picture", out.getvalue()[:length])
            except FileRefused:
                continue


@pytest.mark.parametrize("size", ['width="1.2.3" height="5"', 'width="." height="."', 'width="1..2" height="0x5"'])
def test_a_drawing_whose_size_is_no_number_has_that_of_its_view(size: str) -> None:
    drawing = f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 40 30"><path d="M0 0h9"/></svg>'
    added = checked("picture", drawing.encode())
    assert (added.width_px, added.height_px) == (40, 30)


def test_a_text_called_png_a_torn_one_and_an_empty_one_are_refused() -> None:
    assert refused("picture", b"hello, I am a png") == (
        "This is not a picture; it begins with “hello, I am ”. Add a PNG, JPEG, WebP, GIF or SVG."
    )
    assert "damaged" in refused("picture", png()[:80])
    assert refused("picture", b"") == "The file is empty."


def test_a_picture_bomb_is_refused_before_it_is_unpacked() -> None:
    header = struct.pack(">IIBBBBB", 50_000, 50_000, 8, 2, 0, 0, 0)
    import zlib

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    bomb = (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", header)
        + chunk(b"IDAT", zlib.compress(b"\0" * 10_000))
        + chunk(b"IEND", b"")
    )
    assert "pixels" in refused("picture", bomb)
    long = png(20_000, 1)
    assert "20,000 × 1 pixels; at most 12,000 a side" in refused("picture", long)


def test_a_file_too_large_is_refused_with_how_large_it_may_be(monkeypatch: pytest.MonkeyPatch) -> None:
    assert files.too_large("picture", 200_000_000) == (
        "The file has 200 MB; at most 20 MB are allowed. Make it smaller and add it again."
    )
    monkeypatch.setitem(files.MAX_BYTES, "picture", 10)
    assert "at most" in refused("picture", png())


def test_a_scene_picture_knows_what_is_darkest_and_lightest_in_each_part() -> None:
    image = Image.new("RGB", (480, 270), "#000000")
    image.paste("#FFFFFF", (240, 0, 480, 270))
    grid = extremes(image)
    assert (grid["columns"], grid["rows"]) == (48, 27)
    assert (grid["lightest"][0], grid["darkest"][47]) == ((0, 0, 0), (255, 255, 255))
    assert "PNG, JPEG or WebP" in refused("scenery", b"<svg xmlns='http://www.w3.org/2000/svg'/>")
    assert checked("scenery", png()).facts["grid"]["darkest"][5] == (200, 30, 30)


SVG = """<?xml version="1.0"?><svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"
 xmlns:xlink="http://www.w3.org/1999/xlink"
 onload="alert(1)"><script>alert(2)</script><style>@import url(http://elsewhere.example/x.css)</style>
 <a xlink:href="https://elsewhere.example"><text>go</text></a><image href="http://elsewhere.example/p.png"/>
 <foreignObject><iframe src="http://elsewhere.example"/></foreignObject>
 <rect fill="url(http://elsewhere.example/g)" width="4" onclick="x()"/>
 <rect fill="url(#g)" style="fill:url(//e.example)"/>
 <use xlink:href="#g"/><use href="data:image/svg+xml;base64,AAAA"/><set attributeName="href" to="javascript:x"/>
 <animate attributeName="xlink:href" values="javascript:alert(3)"/><circle r="3" fill="#C23A22"/></svg>"""


def test_of_an_svg_only_what_draws_is_kept() -> None:
    added = checked("picture", SVG.encode())
    text = added.data.decode()
    assert (added.ending, added.width_px, added.height_px) == ("svg", 40, 20)
    for bad in (
        "elsewhere",
        "alert",
        "onload",
        "onclick",
        "script",
        "javascript",
        "data:",
        "foreignObject",
        "e.example",
    ):
        assert bad not in text, bad
    assert 'fill="url(#g)"' in text
    assert '<circle r="3" fill="#C23A22"' in text
    assert 'href="#g"' in text


@pytest.mark.parametrize(
    ("svg", "words"),
    [
        ("<svg", "The drawing is damaged"),
        (
            '<!DOCTYPE svg [<!ENTITY a "b"><!ENTITY c "&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg">&c;</svg>',
            "entities",
        ),
        ('<svg xmlns="http://www.w3.org/2000/svg" width="0" height="5"/>', "The drawing has no usable size"),
        ('<html><svg xmlns="http://www.w3.org/2000/svg"/></html>', "not a picture"),
        ("<?xml version='1.0'?><feed><svg/></feed>", "This is XML but not a drawing"),
    ],
)
def test_an_svg_that_is_none_or_that_grows_is_refused(svg: str, words: str) -> None:
    assert words in refused("picture", svg.encode())


def mp4(width: int = 640, height: int = 360) -> bytes:
    header = bytes(76) + struct.pack(">II", width << 16, height << 16)
    tkhd = struct.pack(">I4s", 8 + len(header), b"tkhd") + header
    trak = struct.pack(">I4s", 8 + len(tkhd), b"trak") + tkhd
    moov = struct.pack(">I4s", 8 + len(trak), b"moov") + trak
    return struct.pack(">I4s4sI", 16, b"ftyp", b"isom", 0) + moov


def webm(width: int = 320, height: int = 240) -> bytes:
    def element(name: bytes, data: bytes) -> bytes:
        return name + bytes([0x80 | len(data)]) + data

    video = element(b"\xe0", element(b"\xb0", width.to_bytes(2, "big")) + element(b"\xba", height.to_bytes(2, "big")))
    tracks = element(b"\x16\x54\xae\x6b", element(b"\xae", video))
    return (
        element(b"\x1a\x45\xdf\xa3", element(b"\x42\x82", b"webm"))
        + b"\x18\x53\x80\x67\x01\xff\xff\xff\xff\xff\xff\xff"
        + tracks
    )


def test_videos_are_told_by_their_first_bytes_and_measured() -> None:
    assert checked("video", mp4()) == Added(mp4(), "mp4", "video/mp4", 640, 360)
    assert checked("video", webm()) == Added(webm(), "webm", "video/webm", 320, 240)


@pytest.mark.parametrize(
    "data", [b"RIFF....AVI LIST", mp4(0, 0), webm(0, 0), mp4()[:30], b"\x1a\x45\xdf\xa3" + bytes(60)]
)
def test_what_is_no_video_or_has_no_picture_is_refused(data: bytes) -> None:
    assert refused("video", data)


def typeface(flags: int = 0, family: str = "Paper Kite", letters: str = "AB") -> bytes:
    builder = FontBuilder(1000, isTTF=True)
    names = [".notdef", *letters]
    builder.setupGlyphOrder(names)
    builder.setupCharacterMap({ord(letter): letter for letter in letters})
    pen = TTGlyphPen(None)
    pen.moveTo((0, 0))
    pen.lineTo((0, 500))
    pen.lineTo((500, 500))
    pen.closePath()
    builder.setupGlyf({name: pen.glyph() for name in names})
    builder.setupHorizontalMetrics(dict.fromkeys(names, (600, 0)))
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": family, "styleName": "Regular", "licenseDescription": "Free to carry."})
    builder.setupOS2(fsType=flags, usWeightClass=500)
    builder.setupPost()
    out = io.BytesIO()
    builder.save(out)
    return out.getvalue()


def test_a_typeface_is_read_whole_and_kept_as_woff2() -> None:
    added = checked("typeface", typeface())
    assert added.data[:4] == b"wOF2"
    assert added.facts["family"] == "Paper Kite"
    assert (added.facts["weights"], added.facts["letters"], added.facts["licence"]) == ([500], 2, "Free to carry.")
    variable = (STATIC / "fonts" / "caveat-latin-wght-normal.woff2").read_bytes()
    assert checked("typeface", variable).facts["weights"] == [400, 500, 600, 700]


@pytest.mark.parametrize(
    ("flags", "words"),
    [
        (0, "Its licence allows embedding"),
        (8, "Its licence allows embedding"),
        (4, "Its licence allows embedding for viewing, which covers overlays"),
    ],
)
def test_what_the_makers_flag_allows_is_explained(flags: int, words: str) -> None:
    assert words in checked("typeface", typeface(flags)).facts["embedding"]


@pytest.mark.parametrize(
    ("flags", "words"),
    [
        (2, "restricted licence"),
        (0x200, "The typeface's licence allows only bitmaps to be embedded, so it can't be used"),
    ],
)
def test_a_typeface_that_may_not_be_carried_is_refused_with_why(flags: int, words: str) -> None:
    assert words in refused("typeface", typeface(flags))


@pytest.mark.parametrize(
    "data", [b"hello", typeface()[:200], b"wOF2" + bytes(80), b"ttcf" + bytes(40), b"OTTO" + bytes(8)]
)
def test_a_broken_typeface_is_refused(data: bytes) -> None:
    assert refused("typeface", data)


def test_a_typeface_that_unpacks_to_too_much_is_refused_before_it_is_unpacked() -> None:
    zeros, tall = bytes(41_000_000), brotli.compress(bytes(41_000_000), quality=3)
    packed = bytearray((STATIC / "fonts" / "caveat-latin-wght-normal.woff2").read_bytes())
    with_words = packed + tall
    with_words[28:36] = struct.pack(">II", len(packed), len(tall))
    directory = io.BytesIO(bytes(packed))
    directory.seek(48)
    for _ in range(struct.unpack(">H", packed[12:14])[0]):
        WOFF2DirectoryEntry().fromFile(directory)
    stream_at = directory.tell()
    stream = packed[:stream_at] + tall
    stream[20:24] = struct.pack(">I", len(tall))
    font, out = TTFont(io.BytesIO(typeface())), io.BytesIO()
    font.flavor = "woff"
    font.save(out)
    older = bytearray(out.getvalue())
    assert checked("typeface", bytes(older)).facts["family"] == "Paper Kite"
    flat = zlib.compress(zeros)
    older[48:60] = struct.pack(">III", len(older), len(flat), len(zeros))
    for bomb in (with_words, stream, older + flat):
        assert "unpacks to more than 40 MB" in refused("typeface", bytes(bomb))


def test_a_familys_name_cannot_say_more_than_a_name() -> None:
    assert checked("typeface", typeface(family="x'; } body { y")).facts["family"] == "x body y"


@pytest.mark.parametrize(
    ("source", "scoped"),
    [
        (".piece { color: red }", "#overlay .piece { color: red }"),
        (":root, .a > .b{margin:0}", "#overlay, #overlay .a > .b {margin:0}"),
        ("body .t-words{--x:1}", "#overlay .t-words {--x:1}"),
        ("@media (min-width:9px){.a{top:0}}", "@media (min-width:9px){\n#overlay .a {top:0}\n}"),
        ("@keyframes sway{from{rotate:-1deg}}", "@keyframes sway{from{rotate:-1deg}}"),
        ("", ""),
    ],
)
def test_a_style_sheet_reaches_the_overlay_alone(source: str, scoped: str) -> None:
    assert sheets.checked(source) == sheets.Sheet(scoped)


@pytest.mark.parametrize(
    ("source", "words"),
    [
        (".a{background:url(http://elsewhere.example/x.png)}", "Line 1: url(…) loads from another address"),
        (".a{color:red}\n.b{background:u\\72l('//e.example')}", "Line 2: url(…)"),
        (".a{background:image-set('x.png' 1x)}", "image-set(…)"),
        ("@import 'x.css';", "@import loads from outside"),
        ("@font-face{font-family:x;src:local(y)}", "@font-face loads from outside"),
        ("@charset 'x';", "@charset is not allowed"),
        (".a{}</style><script>alert(1)</script>", "“</”"),
        (".a{behavior:none}", "behavior could run a script"),
        (".a{color red}", "Line 1"),
        (".a{} }", "Line 1"),
        (".a{.b{background:url(x)}}", "url(…)"),
        ("@supports (color:red){.a{background:url(x)}}", "url(…)"),
    ],
)
def test_a_style_sheet_that_reaches_out_or_is_broken_is_switched_off(source: str, words: str) -> None:
    sheet = sheets.checked(source)
    assert sheet.css == ""
    assert any(words in one for one in sheet.wrong), sheet.wrong


def test_a_style_sheet_cannot_end_its_element_by_an_escape() -> None:
    sheet = sheets.checked('.a::after { content: "\\3c/style\\3e" }')
    assert sheet.wrong == ()
    assert sheet.css == '#overlay .a::after { content: "\\3c /style>" }'
    assert "(width < 9px)" in sheets.checked("@media (width < 9px) { .a { top: 0 } }").css


def test_on_the_mat_a_style_sheet_has_a_fence_around_it() -> None:
    assert sheets.checked(".a{top:0}").fenced == "@scope (.fence) {\n#overlay .a {top:0}\n}"
    assert sheets.checked("").fenced == sheets.checked(".a{b:url(x)}").fenced == ""


@pytest.mark.parametrize("deep", ["(", "[", "{", "@media x{", ".a{", "f("])
def test_a_style_sheet_whose_brackets_lie_too_deep_is_switched_off(deep: str) -> None:
    assert sheets.checked(".a{b:" + deep * 2_000).wrong == (
        "Its brackets are nested more than 32 levels deep. Nest them less.",
    )
    assert sheets.checked(".a{b:" + "(" * 20 + ")" * 20 + "}").wrong == ()


def test_a_style_sheet_that_came_in_longer_than_one_may_be_written_is_switched_off() -> None:
    assert sheets.checked(".a{b:c}" * 2_858).wrong == (
        "It has 20,006 characters; 20,000 are allowed. Remove what you don't need.",
    )


def test_a_zip_is_no_picture() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("a.png", png())
    assert "not a picture" in refused("picture", out.getvalue())


def drawing(inside: str) -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20">{inside}</svg>'.encode()


def tenfold(levels: int) -> str:
    """A square drawn ten times, and that ten times, and so on."""
    groups = (f'<g id="g{level}">{f"""<use href="#g{level - 1}"/>""" * 10}</g>' for level in range(1, levels + 1))
    return f'<g id="g0"><rect width="1" height="1"/></g>{"".join(groups)}'


@pytest.mark.parametrize(
    ("inside", "words"),
    [
        ("<g>" * 10_000 + "</g>" * 10_000, "more than 100 levels deep"),
        (tenfold(5), "Save it as a PNG"),
        ('<g id="a"><use href="#a"/></g>', "The drawing's parts refer to each other in a loop"),
        (
            '<pattern id="a"><rect fill="url(#b)"/></pattern><pattern id="b"><rect fill="url(#a)"/></pattern>',
            "in a loop",
        ),
        ('<filter id="f">' + "<feGaussianBlur/>" * 51 + "</filter>", "too complex for a page"),
        ('<filter id="f"><feGaussianBlur/></filter>' + '<rect filter="url(#f)"/>' * 50, "too complex for a page"),
        ("<g/>" * 20_000, "more than 20,000 parts"),
    ],
)
def test_a_drawing_with_which_a_page_would_stand_still_is_refused(inside: str, words: str) -> None:
    assert words in refused("picture", drawing(inside))


def test_a_drawing_may_repeat_its_parts_and_cast_shadows() -> None:
    shadows = '<filter id="f"><feDropShadow/></filter>' + '<rect filter="url(#f)"/>' * 40
    for inside in (tenfold(4), "<g>" * 99 + "</g>" * 99, shadows, '<use href="#nobody"/>'):
        assert checked("picture", drawing(inside)).ending == "svg"


def test_every_mark_of_the_demo_is_a_safe_svg() -> None:
    for path in (Path(__file__).parent.parent.parent / "src/tesoura/demo/pictures").glob("*.svg"):
        assert checked("picture", path.read_bytes()).width_px in (420, 840)
