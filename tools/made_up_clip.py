"""Make the clip that ships to try replays with: eight seconds of the made-up picture. Run by `make clip`."""

from __future__ import annotations

from pathlib import Path

import av

from tesoura.clips.encoding import ReelWriter
from tesoura.clips.stills import stills
from tesoura.core.instruments.replay.commands import MADE_UP, MADE_UP_KILLS
from tesoura.standins.picture import FPS, HEIGHT, WIDTH, drawn

FOLDER = Path(__file__).parent.parent / "src/tesoura/web/static/clips"


def main() -> None:
    """Write the clip, and the picture that stands for it."""
    FOLDER.mkdir(exist_ok=True)
    target = FOLDER / MADE_UP.file
    writer = ReelWriter(target, WIDTH, HEIGHT, sounds=False)
    cuts = [at // 1_000 for at in MADE_UP_KILLS]
    for one in range(MADE_UP.length * FPS // 1_000_000):
        at_ms = one * 1000 // FPS
        writer.picture(av.VideoFrame.from_image(drawn(at_ms, cuts)).reformat(format="yuv420p"), at_ms * 1_000)
    writer.close()
    stills(target, [MADE_UP_KILLS[-1] + 100_000], WIDTH)[0].save(target.with_suffix(".webp"), "WEBP", quality=80)


if __name__ == "__main__":
    main()
