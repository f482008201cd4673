"""How long the recording can go on: the room left on a disk, and how fast a folder fills it.

Words behind its name: the folder that is recorded to; without one, the home folder.
"""

import json
import shutil
import sys
import time
from pathlib import Path

folder = Path(sys.argv[1] if len(sys.argv) > 1 else Path.home())
disk = shutil.disk_usage(folder)


def newest() -> int:
    """The size of the file that was written to last: the one that is being recorded."""
    files = [one for one in folder.iterdir() if one.is_file()]
    return max(files, key=lambda one: one.stat().st_mtime).stat().st_size if files else 0


before, began = newest(), time.monotonic()
time.sleep(2)
per_second = max(newest() - before, 0) / (time.monotonic() - began)
print(
    json.dumps(
        {
            "free_gb": round(disk.free / 1e9, 1),
            "used_pct": round(100 * disk.used / disk.total, 1),
            "recording": per_second > 10_000,
            "hours_left": round(disk.free / per_second / 3600, 1) if per_second > 10_000 else None,
        }
    )
)
