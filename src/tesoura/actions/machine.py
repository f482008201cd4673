"""What reaches this machine itself: the folders that files are read from, and the programs in the scripts folder."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import MACHINE
from tesoura.bundles.examples import put
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.runtime.text_files import own_folder
from tesoura.store import state


def _folder(raw: object) -> Path:
    path = Path(text(1_000)(raw).strip().strip('"')).expanduser()
    if not path.is_absolute():
        raise InvalidField("Give the full path of the folder, such as /home/mara/stats.")
    return path


async def _let_read(doing: Doing, given: Given) -> Done:
    path, present = given["folder"], list(doing.runtime.preferences.folders)
    if given["read"] == "yes":
        if not await asyncio.to_thread(path.is_dir):
            raise InvalidField("There is no such folder. Create it first, or choose another.")
        if await asyncio.to_thread(own_folder, path, doing.runtime.store.folder):
            raise InvalidField("This is Tesoura's own folder, which contains its keys. Choose another.")
        present = list(dict.fromkeys([*present, path]))
    else:
        present = [one for one in present if one != path]
    kept = json.dumps([str(one) for one in present])
    await doing.write(lambda session: state.choose(session, "folders", kept))
    await doing.runtime.preferences_changed()
    undo = Call("folder.read", {"folder": str(path), "read": "no" if given["read"] == "yes" else "yes"})
    return Done("The folder list was saved.", {}, undo)


FOLDER = Action(
    "folder.read",
    "Allow reading from a folder",
    "Or remove it with `read` no.",
    {"folder": Field("Folder", _folder), "read": Field("Read", choice(("yes", "no")), kind="switch", default="yes")},
    _let_read,
    noted=True,
    may=MACHINE,
)


async def _examples(doing: Doing, given: Given) -> Done:
    count = await asyncio.to_thread(put, doing.runtime.store.folder / "scripts")
    words = f"{count} examples were added to the scripts folder." if count else "The examples are already there."
    return Done(words, {"put": count})


EXAMPLES = Action(
    "scripts.examples", "Add the example scripts", "To the scripts folder.", {}, _examples, noted=True, may=MACHINE
)

ALL = (FOLDER, EXAMPLES)
