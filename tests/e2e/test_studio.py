"""The overlay studio as its users have it: by mouse, by keyboard, in two windows, and on the viewers' page."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import BrowserContext, Page, expect

from tesoura.core.overlays.pieces.registry import KINDS
from tests.conftest import Running, until
from tests.e2e.test_jobs import overlay_page
from tests.uploads.test_uploads import png, typeface


def lay(page: Page, running: Running, *pieces: dict[str, object]) -> str:
    """An overlay on air with a text and these pieces, its mat open; its token."""
    token = running.add_overlay("hello", x=200, y=200)
    running.edit(1, *({"do": "add", "kind": piece.pop("kind"), "set": piece} for piece in pieces))
    running.publish(1)
    open_mat(page)
    return token


def open_mat(page: Page) -> None:
    page.goto("/overlays/1")
    expect(page.locator("#mat[data-ready=yes]")).to_be_visible()


def place(page: Page, name: str) -> tuple[int, int]:
    piece = page.locator(f".stage .name-{name}")
    return tuple(
        int(float(piece.evaluate(f"one => parseFloat(getComputedStyle(one).{side})"))) for side in ("left", "top")
    )  # type: ignore[return-value]


BOX = {"kind": "backing", "x": 900, "y": 600, "width_px": 300, "height_px": 200, "name": "Box"}


def drag(page: Page, selector: str, dx: float, dy: float) -> None:
    # Marks are drawn anew with every change; the one that was found may just have been replaced.
    box = until(lambda: page.locator(selector).bounding_box())
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()


def test_a_piece_is_dragged_snaps_to_another_and_undo_outlives_a_reload(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    page.get_by_role("button", name="Text text").click()
    scale = page.evaluate("document.querySelector('.cloth').clientWidth / 1920")
    # To 4 px beside the left edge of the box, which is near enough to snap to it.
    drag(page, ".stage .name-text", (900 - 200 + 4) * scale, 100 * scale)
    expect(page.locator("#c-x")).to_have_value("900")
    until(lambda: running.client.get("/overlays/1/state").json()["boxes"]["text"]["held"][0] == 900)
    open_mat(page)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#told")).to_have_text("Undone: “Text”: moved")
    until(lambda: place(page, "text") == (200, 200))
    page.get_by_role("button", name="Redo").click()
    until(lambda: place(page, "text")[0] == 900)


def test_a_text_is_enlarged_by_its_font_size_and_a_box_by_its_sides(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    page.get_by_role("button", name="Text text").click()
    expect(page.locator("#c-size_px")).to_have_value("72")
    corner = '[data-corner="bottom-right"]'
    box = page.locator(".stage .name-text").bounding_box()
    assert box
    drag(page, corner, box["width"], box["height"])
    until(lambda: int(page.locator("#c-size_px").input_value()) > 120)
    until(lambda: "resized" in (page.locator("#undo").get_attribute("title") or ""))
    page.get_by_role("button", name="Box backing").click()
    expect(page.locator("#c-width_px")).to_have_value("300")
    expect(page.locator(corner)).to_be_visible()
    drag(page, corner, 40, 0)
    until(lambda: int(page.locator("#c-width_px").input_value()) > 340)


def test_several_pieces_are_chosen_aligned_grouped_and_moved_together(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX), {**BOX, "x": 500, "y": 900, "name": "Base"})
    page.get_by_role("button", name="Box backing").click()
    page.get_by_role("button", name="Base backing").click(modifiers=["Shift"])
    expect(page.locator(".chosen-name")).to_contain_text("2 pieces")
    page.get_by_role("button", name="left", exact=True).click()
    until(lambda: place(page, "box")[0] == place(page, "base")[0] == 500)
    page.get_by_role("button", name="Group", exact=True).click()
    expect(page.locator("#pieces")).to_contain_text("Group")
    page.get_by_role("button", name="Text text").click()
    page.locator(".stage .name-box").click()
    expect(page.locator(".chosen-name")).to_contain_text("2 pieces")
    page.keyboard.press("Shift+ArrowDown")
    until(lambda: (place(page, "box")[1], place(page, "base")[1]) == (610, 910))
    page.locator("#choices").get_by_label("Use look").select_option("gust")
    until(lambda: "Base: look “Ink” → “Gust”" in running.client.get("/overlays/1/versions").text)


def test_everything_is_done_with_the_keyboard(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    page.keyboard.press("m")
    expect(page.locator(".stage .chosen")).to_be_focused()
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    name = page.locator(".stage .chosen").get_attribute("data-piece")
    until(lambda: page.locator("#undo").get_attribute("title"))
    page.keyboard.press("Control+d")
    expect(page.locator(".stage .piece")).to_have_count(3)
    page.keyboard.press("Delete")
    expect(page.locator(".stage .piece")).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(page.locator(".stage .piece")).to_have_count(3)
    page.keyboard.press("Control+y")
    expect(page.locator(".stage .piece")).to_have_count(2)
    page.keyboard.press("Control+a")
    expect(page.locator(".stage .chosen")).to_have_count(2)
    page.keyboard.press("Control+c")
    page.keyboard.press("Control+v")
    expect(page.locator(".stage .piece")).to_have_count(4)
    page.keyboard.press("Delete")
    expect(page.locator(".stage .piece")).to_have_count(2)
    page.locator(f'[data-pick="{name}"]').focus()
    page.keyboard.press("Enter")
    page.keyboard.press("i")
    expect(page.locator(f'[data-set="pinned"][data-of="{name}"]')).to_contain_text("Unpin")
    page.keyboard.press("h")
    expect(page.locator("#pieces")).to_contain_text("hidden in the draft")
    page.keyboard.press("n")
    expect(page.locator("#scene")).to_have_value("Play")
    page.keyboard.press("+")
    before = page.locator("#zoom-now").inner_text()
    page.keyboard.press("0")
    expect(page.locator("#zoom-now")).not_to_have_text(before)


def test_what_does_not_fit_is_shown_mended_by_one_press_and_told_before_air(page: Page, running: Running) -> None:
    token = lay(page, running)
    page.locator("#c-width_px").fill("120")
    findings = page.locator("#findings")
    expect(findings).to_contain_text("“hello” needs a box")
    expect(page.locator(".unfit.told")).to_have_count(1)
    page.get_by_role("button", name="Put on air").click()
    expect(page.get_by_role("heading", name="Overlay: 1 thing to fix")).to_be_visible()
    page.get_by_role("link", name="Fix first").click()
    findings.get_by_role("button", name=re.compile(r"^Make it \d+ px wide")).click()
    expect(findings).to_contain_text("Everything fits")
    page.get_by_role("button", name="Undo").click()
    expect(findings).to_contain_text("needs a box")
    page.get_by_role("button", name="Put on air").click()
    page.get_by_role("button", name="Put on air anyway").click()
    expect(page.locator(".said-all")).to_contain_text("On air")
    assert "width:120px" in running.client.get(f"/o/{token}").text


def test_two_windows_on_one_draft_see_each_other_and_are_told(context: BrowserContext, running: Running) -> None:
    one, two = context.new_page(), context.new_page()
    lay(one, running)
    open_mat(two)
    one.locator("#c-x").fill("333")
    expect(two.locator("#c-x")).to_have_value("333")
    # While the second is away from the news, both change the same field.
    two.evaluate("document.body.addEventListener('tesoura:draft:1', (event) => event.stopImmediatePropagation(), true)")
    one.locator("#c-y").fill("401")
    expect(one.locator("#differs")).to_contain_text("401")
    two.locator("#c-y").fill("402")
    expect(two.locator("#told")).to_contain_text("Changed in another window: “Text”: down. Your change is kept")
    expect(one.locator("#c-y")).to_have_value("402")
    expect(one.locator("#told")).to_have_text("Changed in another window: “Text”: down.")
    one.get_by_role("button", name="Delete “Text”").click()
    expect(one.locator(".stage .piece")).to_have_count(0)
    two.locator("#c-y").fill("500")
    expect(two.locator("#told")).to_contain_text("A piece was deleted in the meantime")
    one.get_by_role("button", name="Undo").click()
    expect(one.locator(".stage .piece")).to_have_count(1)


def test_a_piece_differs_by_scene_and_viewers_see_it_change_with_the_scene(
    page: Page, context: BrowserContext, running: Running
) -> None:
    token = lay(page, running, {**BOX, "look": "harbour"})
    viewers = overlay_page(context, token)
    page.locator("#scene").select_option("Talk")
    page.get_by_role("button", name="Text text").click()
    expect(page.locator(".chosen-name")).to_contain_text("in Talk")
    page.locator("#c-x").fill("640")
    until(lambda: running.client.get("/overlays/1/state?scene=Talk").json()["boxes"]["text"]["held"][0] == 640)
    page.get_by_role("button", name="Box backing").click()
    page.locator("#c-shown").uncheck()
    expect(page.locator("#pieces")).to_contain_text("not in Talk")
    page.get_by_role("button", name="Put on air").click()
    expect(page.locator(".said-all")).to_contain_text("On air")
    expect(viewers.locator(".name-box")).to_be_visible()
    page.goto("/")
    page.locator("#desk-scene").get_by_role("button", name="Talk").click()
    expect(viewers.locator(".name-box")).to_be_hidden()
    expect(viewers.locator(".name-text")).to_have_css("left", "640px")
    expect(page.locator("#desk-scene .is-now")).to_contain_text("Talk")
    page.locator("#desk-scene").get_by_role("button", name="Play").click()
    expect(viewers.locator(".name-box")).to_be_visible()
    expect(viewers.locator(".name-text")).to_have_css("left", "200px")


def test_values_change_in_every_way_and_end_as_they_are(context: BrowserContext, running: Running) -> None:
    running.add_overlay("{kill.n:,}", nothing_yet="0", change="count", motion_ms=60)
    ways = ("plain", "roll", "flash", "slide")
    same = {"wording": "{kill.n:,} cuts", "nothing_yet": "0", "y": 300, "motion_ms": 60}
    running.edit(1, *({"do": "add", "kind": "text", "set": {**same, "name": way, "change": way}} for way in ways))
    running.publish(1)
    token = re.findall(r"/o/([\w-]{24})", running.client.get("/overlays/1/link").text)[0]
    viewers = overlay_page(context, token)
    for number, shown in ((12, "12"), (1284, "1,284"), (1291, "1,291"), (7, "7")):
        running.event(type="kill", data={"n": number})
        expect(viewers.locator(".name-text")).to_have_text(shown)
        for way in ways:
            expect(viewers.locator(f".name-{way}")).to_have_text(f"{shown} cuts")


def test_pieces_come_and_go_in_every_way_and_motion_can_be_switched_off(
    context: BrowserContext, running: Running
) -> None:
    token = running.add_overlay("{gift.name}", nothing_yet="", entry="wipe", exit="grow", motion_ms=80)
    ways = ("cut", "fade", "slide_left", "slide_down", "grow", "wipe")
    same = {"wording": "{gift.name}", "nothing_yet": "", "y": 300, "motion_ms": 80}
    kinds = ({**same, "name": f"way {way}", "entry": way, "exit": way} for way in ways)
    running.edit(1, *({"do": "add", "kind": "text", "set": one} for one in kinds))
    running.publish(1)
    viewers = overlay_page(context, token)
    pieces = viewers.locator(".piece")
    expect(pieces).to_have_count(7)
    for name in ("Ana", ""):
        running.client.put("/api/signals/script.x", json={"value": 1}, headers=running.auth)
        running.event(type="gift", data={"name": name})
        for at in range(7):
            if name:
                expect(pieces.nth(at)).to_have_text(name)
            else:
                expect(pieces.nth(at)).to_be_hidden()
    running.edit(1, {"do": "settings", "set": {"motion": "no"}})
    running.publish(1)
    expect(viewers.locator("main")).to_have_attribute("data-motion", "no")
    running.event(type="gift", data={"name": "Bolt"})
    expect(pieces.first).to_have_text("Bolt")
    assert viewers.evaluate("document.getAnimations().length") == 0


def test_files_are_added_from_the_mat_and_wrong_ones_refused(page: Page, running: Running, tmp_path: Path) -> None:
    lay(page, running, {"kind": "picture", "name": "Mark"})
    picture, lie = tmp_path / "kite.png", tmp_path / "lie.png"
    picture.write_bytes(png(320, 180))
    lie.write_text("I am a text")
    page.get_by_role("button", name="Mark picture").click()
    expect(page.locator(".chosen-name")).to_have_text("Mark")
    page.locator('[data-add="picture"]').set_input_files(lie)
    expect(page.locator("#told")).to_contain_text("This is not a picture; it begins with")
    page.locator('[data-add="picture"]').set_input_files(picture)
    expect(page.locator(".stage .t-film")).to_have_attribute("src", re.compile(r"^/media/\w+\.png$"))
    until(lambda: page.locator(".stage .t-film").evaluate("one => one.naturalWidth") == 320)
    page.locator('[data-add="scenery"]').set_input_files(picture)
    expect(page.locator("#under")).to_have_value(re.compile(r"\.png$"))
    expect(page.locator(".cloth")).to_have_css("background-image", re.compile(r"/media/\w+\.png"))


def test_a_typeface_is_added_and_worn_on_the_viewers_page(
    page: Page, context: BrowserContext, running: Running, tmp_path: Path
) -> None:
    token = lay(page, running)
    file = tmp_path / "kite.ttf"
    file.write_bytes(typeface())
    page.goto("/typefaces/")
    page.locator('input[type="file"]').set_input_files(file)
    expect(page.locator(".said-all")).to_contain_text("Paper Kite was added: 2 letters")
    open_mat(page)
    page.locator("summary", has_text="Type").first.click()
    page.locator("#c-typeface").select_option("Paper Kite")
    page.locator("#c-wording").fill("ABBA")
    expect(page.locator(".stage .piece")).to_have_text("ABBA")
    page.get_by_role("button", name="Put on air").click()
    expect(page.locator(".said-all")).to_contain_text("On air")
    viewers = overlay_page(context, token)
    # Four letters of 600 units at 72 px.
    until(lambda: abs(viewers.locator(".t-words").evaluate("one => one.getBoundingClientRect().width") - 172.8) < 0.5)


def test_a_look_that_is_changed_changes_on_the_mat_and_a_piece_says_what_it_does_otherwise(
    page: Page, context: BrowserContext, running: Running
) -> None:
    lay(page, running)
    page.locator("summary", has_text="Colours").click()
    page.locator("#c-accent").fill("#123456")
    expect(page.locator("#fold-Colours .own-count")).to_have_text("1 own")
    page.locator("#fold-Colours").get_by_role("button", name="use look").click()
    expect(page.locator("#fold-Colours .own-count")).to_have_count(0)
    looks = context.new_page()
    looks.goto("/looks/ink")
    looks.locator("#c-colour").fill("#FF8800")
    expect(looks.locator("#saved")).to_contain_text("Saved at")
    open_mat(page)
    expect(page.locator(".stage .piece")).to_have_css("color", "rgb(255, 136, 0)")
    expect(page.locator("#differs")).to_contain_text("Look “Ink”: colour")


def test_a_style_sheet_of_ones_own_is_applied_live_and_switched_off_when_broken(page: Page, running: Running) -> None:
    lay(page, running)
    page.locator("#own-sheet summary").click()
    sheet = page.locator("#c-css")
    sheet.fill(".name-text .t-words { letter-spacing: 7px } body { background: red }")
    expect(page.locator(".stage .t-words")).to_have_css("letter-spacing", "7px")
    expect(page.locator("body")).not_to_have_css("background-color", "rgb(255, 0, 0)")
    sheet.fill(".name-text .t-words { letter-spacing: 9px; background: url(http://elsewhere.example/x) }")
    expect(page.locator("#css-wrong")).to_contain_text("It is off until the error is fixed.")
    expect(page.locator(".stage .t-words")).not_to_have_css("letter-spacing", "9px")


ESCAPES = (
    "& ~ .marks, ~ .marks { %s }",
    ".stage { & ~ *, & + *, * ~ & { %s } }",
    ".piece { .air-line &, body:has(&), :has(&) { %s } }",
    ":is(#overlay, header), :is(body, .x) { %s }",
    ":not(.piece):not(:is(.piece)) { %s }",
    ":where(html, body, header, .btn) { %s }",
    ":has(.piece) { %s }",
    "*, :root, html, body, main { %s }",
    "@media all { & ~ *, header { %s } .piece { & ~ *, body:has(&) { %s } } }",
    "@supports (color: red) { :is(header, .btn) { %s } * { :is(header, .btn) { %s } } }",
    "@layer { body { %s } .btn { & { %s } } }",
    ".piece { @media all { body:has(&), .btn { %s } } @layer x { .btn { %s } } }",
    ".piece { &:hover, html & ~ *, :not(&) { %s } }",
    "#overlay#overlay ~ *, #mat #overlay ~ *, body > main { %s }",
)
OUTSIDE = """() => ["html", "body", "header", "main", "#put-on-air", ".marks", ".cloth", "#c-css"].filter((name) => {
  const one = document.querySelector(name);
  return getComputedStyle(one).getPropertyValue("--reached") || getComputedStyle(one).outlineWidth === "13px"; })"""


def test_a_style_sheet_reaches_nothing_outside_the_overlay_on_the_mat(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    held = []
    for escape in ESCAPES:
        running.edit(
            1, {"do": "settings", "set": {"css": escape.replace("%s", "--reached: 1; outline: 13px solid red")}}
        )
        open_mat(page)
        inside = page.locator("style.own").text_content() or ""
        assert "--reached" in inside, escape
        held.append(page.evaluate(OUTSIDE))
    assert held == [[]] * len(ESCAPES)


def test_a_style_sheet_covers_none_of_the_mats_buttons(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    large = "position: fixed; inset: 0; margin: -9000px; padding: 9999px; z-index: 2147483647; overflow: visible"
    freed = f"{large}; contain: none; transform: none;".replace(";", " !important;")
    running.edit(1, {"do": "settings", "set": {"css": f":root, .piece, .t-body {{ {freed} }}"}})
    open_mat(page)
    page.locator("#own-sheet summary").click()
    assert (
        page.evaluate("""() => ["#put-on-air", "#undo", "header a", "#c-css", "#own-sheet summary"].filter((name) => {
      const one = document.querySelector(name);
      one.scrollIntoView({ behavior: "instant" });
      const box = one.getBoundingClientRect();
      const hit = document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2);
      return !one.contains(hit) && !hit?.contains(one); })""")
        == []
    )
    page.locator("#c-css").fill("")
    expect(page.locator(".stage .piece").first).not_to_have_css("position", "fixed")


def test_a_replaced_link_stops_on_the_page_that_shows_it(page: Page, context: BrowserContext, running: Running) -> None:
    token = lay(page, running)
    viewers = overlay_page(context, token)
    page.goto("/overlays/1/link")
    expect(page.get_by_alt_text("Link as a QR code")).to_be_visible()
    page.get_by_role("button", name="Replace link").click()
    expect(viewers.locator(".ended")).to_contain_text("This link was replaced at")
    expect(viewers.locator(".piece")).to_have_count(0)


def test_an_overlay_that_was_put_away_says_so_and_comes_back_by_itself(
    page: Page, context: BrowserContext, running: Running
) -> None:
    viewers = overlay_page(context, lay(page, running))
    running.do("overlay.remove?overlay=1")
    expect(viewers.locator(".ended")).to_contain_text("“Overlay” was deleted in Tesoura")
    running.do("overlay.restore?overlay=1")
    expect(viewers.locator(".piece")).to_have_text("hello")


def test_an_overlay_is_exported_and_brought_in_again_from_the_list(
    page: Page, running: Running, tmp_path: Path
) -> None:
    lay(page, running)
    page.goto("/overlays/")
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Export Overlay").click()
    file = tmp_path / "overlay.zip"
    waiting.value.save_as(file)
    page.locator('input[type="file"]').set_input_files(file)
    expect(page.locator(".said-all")).to_contain_text("Overlay 2 was imported")
    expect(page.locator(".stage .piece")).to_have_text("hello")
    page.goto("/overlays/")
    page.get_by_label("Find an overlay").fill("overlay 2")
    expect(page.locator(".card-overlay:visible")).to_have_count(1)


RECORD = """() => new Promise((done) => {
  const canvas = Object.assign(document.createElement("canvas"), { width: 160, height: 90 });
  const paint = canvas.getContext("2d");
  let step = 0;
  const drawing = setInterval(() => {
    paint.fillStyle = step++ % 2 ? "#C23A22" : "#2F6B5E";
    paint.fillRect(0, 0, 160, 90);
  }, 30);
  const recorder = new MediaRecorder(canvas.captureStream(30), { mimeType: "video/webm;codecs=vp8" });
  const parts = [];
  recorder.ondataavailable = (event) => parts.push(event.data);
  recorder.onstop = async () => {
    clearInterval(drawing);
    done([...new Uint8Array(await new Blob(parts).arrayBuffer())]);
  };
  recorder.start();
  setTimeout(() => recorder.stop(), 600);
})"""


def test_a_video_is_added_and_plays_without_sound(
    page: Page, context: BrowserContext, running: Running, tmp_path: Path
) -> None:
    token = lay(page, running, {"kind": "video", "name": "Film", "width_px": 160, "height_px": 90, "x": 900, "y": 600})
    file = tmp_path / "film.webm"
    file.write_bytes(bytes(page.evaluate(RECORD)))
    page.get_by_role("button", name="Film video").click()
    expect(page.locator(".chosen-name")).to_have_text("Film")
    page.locator('[data-add="video"]').set_input_files(file)
    expect(page.locator("#c-media")).to_have_value(re.compile(r"\.webm$"))
    expect(page.locator("#c-media option:checked")).to_contain_text("160 × 90")
    running.publish(1)
    viewers = overlay_page(context, token)
    film = viewers.locator("video")
    until(lambda: film.evaluate("one => one.currentTime > 0 && one.muted && one.loop"))


def test_a_frame_cut_from_a_picture_keeps_its_corners(page: Page, running: Running, tmp_path: Path) -> None:
    lay(page, running, dict(BOX))
    picture = tmp_path / "frame.png"
    picture.write_bytes(png(90, 90))
    page.get_by_role("button", name="Box backing").click()
    expect(page.locator(".chosen-name")).to_have_text("Box")
    page.locator('[data-add="picture"]').set_input_files(picture)
    expect(page.locator(".stage .t-frame")).to_have_css("border-image-source", re.compile(r"/media/\w+\.png"))
    page.locator("#c-slice_px").fill("30")
    expect(page.locator(".stage .t-frame")).to_have_css("border-image-slice", "30 fill")


def test_guides_are_dragged_out_snapped_to_and_a_frame_chooses_what_it_touches(page: Page, running: Running) -> None:
    lay(page, running, dict(BOX))
    scale = page.evaluate("document.querySelector('.cloth').clientWidth / 1920")
    cloth = page.locator(".cloth").bounding_box()
    assert cloth
    page.mouse.move(cloth["x"] - 10, cloth["y"] + 300)
    page.mouse.down()
    page.mouse.move(cloth["x"] + 100, cloth["y"] + 300)
    page.mouse.move(cloth["x"] + 700 * scale, cloth["y"] + 300)
    page.mouse.up()
    expect(page.locator("#marks-guides .guide")).to_have_count(1)
    [[_, at]] = until(lambda: running.client.get("/overlays/1/state").json()["guides"])
    assert abs(at - 700) <= 2
    page.get_by_role("button", name="Text text").click()
    drag(page, ".stage .name-text", (at - 200 + 3) * scale, 100 * scale)
    expect(page.locator("#c-x")).to_have_value(str(at))
    page.mouse.move(cloth["x"] + 20, cloth["y"] + 20)
    page.mouse.down()
    page.mouse.move(cloth["x"] + 300, cloth["y"] + 300)
    page.mouse.move(cloth["x"] + 1300 * scale, cloth["y"] + 900 * scale)
    page.mouse.up()
    expect(page.locator(".chosen-name")).to_contain_text("2 pieces")


def test_all_that_can_be_added_is_on_the_screen_and_slots_stand_in_line(page: Page, running: Running) -> None:
    slots = {
        "kind": "slots",
        "name": "Slots",
        "count": 4,
        "arranged": "block",
        "label_1": "Kills",
        "icon_1": "scissors",
        "label_2": "Deaths",
        "icon_2": "kite",
        "label_3": "K/D",
        "icon_3": "none",
        "label_4": "Streak",
    }
    lay(page, running, slots)
    page.get_by_text("Add a piece").click()
    kinds = page.locator(".kinds .kind")
    expect(kinds).to_have_count(len(KINDS))
    for kind in kinds.all():
        box = kind.bounding_box()
        assert box is not None
        assert 0 <= box["x"] <= box["x"] + box["width"] <= 1280
        assert box["y"] + box["height"] <= 800
    lefts = page.locator(".stage .t-slot > .t-label").evaluate_all(
        "found => found.map((one) => Math.round(one.getBoundingClientRect().left))"
    )
    assert (lefts[0], lefts[1]) == (lefts[2], lefts[3])


def test_what_was_typed_and_refused_stays_with_what_is_wrong_until_it_is_put_right(
    page: Page, running: Running
) -> None:
    lay(page, running)
    page.locator("#fold-Colours summary").click()
    colour = page.locator("#c-colour")
    colour.fill("teal")
    colour.press("Tab")
    expect(page.locator("#c-colour-wrong")).to_be_visible()
    page.locator("#c-x").fill("321")
    expect(page.locator("#differs")).to_contain_text("321")
    expect(colour).to_have_value("teal")
    expect(page.locator("#c-colour-wrong")).to_be_visible()
    colour.fill("#00AA88")
    expect(page.locator("#c-colour-wrong")).to_have_count(0)
    expect(page.locator("#differs")).to_contain_text("colour")


def test_a_key_puts_on_air_and_the_focus_stays(page: Page, running: Running) -> None:
    lay(page, running)
    page.locator("#c-x").fill("322")
    expect(page.locator("#differs")).to_contain_text("322")
    page.locator("#pieces").click()
    page.keyboard.press("Shift+P")
    expect(page.locator(".said-all")).to_contain_text("On air")
    expect(page.locator("#work")).to_be_focused()
