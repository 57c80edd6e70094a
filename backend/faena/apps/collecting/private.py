"""Files of the collector are for its own account alone: readings hold what sessions did, with capture on also values."""

import os
from pathlib import Path


def keep_private(folder: Path) -> None:
    """0700 for the folder, 0600 for what an earlier version left in it; and for all that this process makes from now on."""
    os.umask(0o077)
    folder.chmod(0o700)
    for file in folder.iterdir():
        if file.is_file() and not file.is_symlink():
            file.chmod(0o600)
