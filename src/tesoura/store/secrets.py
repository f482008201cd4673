"""Secrets: encrypted with a key that lies in a file of its own, outside the database, readable by the user alone."""

from __future__ import annotations

import base64
import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from tesoura.errors import DataFolderError

FILE_NAME = "secret.key"


class Secrets:
    """Seals and opens secrets, and derives the keys that the pages sign with."""

    def __init__(self, master: bytes) -> None:
        self._master = master
        self._box = Fernet(base64.urlsafe_b64encode(self.derive("secrets at rest")))

    def derive(self, purpose: str) -> bytes:
        """32 bytes for one purpose, the same at every start."""
        return HKDF(algorithm=SHA256(), length=32, salt=None, info=purpose.encode()).derive(self._master)

    def seal(self, secret: str) -> bytes:
        """Encrypt a secret."""
        return self._box.encrypt(secret.encode())

    def open(self, sealed: bytes) -> str | None:
        """Decrypt a secret; None when it was sealed with another key file."""
        try:
            return self._box.decrypt(sealed).decode()
        except InvalidToken:
            return None


def open_secrets(folder: Path) -> Secrets | None:
    """Return the data folder's secrets, or None when it has no key file. Raises DataFolderError."""
    path = folder / FILE_NAME
    try:
        return Secrets(_checked(path, path.read_bytes()))
    except FileNotFoundError:
        return None
    except OSError as error:
        raise _unusable(path, error) from error


def new_secrets(folder: Path) -> Secrets:
    """Write a new key file and return the secrets of it. Only under the folder's lock. Raises DataFolderError."""
    path = folder / FILE_NAME
    try:
        return Secrets(_written(path, os.urandom(32)))
    except OSError as error:
        raise _unusable(path, error) from error


def _unusable(path: Path, error: OSError) -> DataFolderError:
    return DataFolderError(f"The key file {path} can't be used ({error.strerror}). Check who may read it.")


def _written(path: Path, master: bytes) -> bytes:
    """Write a new key file: whole, or not at all, as when the disk is full."""
    part = path.with_name(f".{path.name}.{os.getpid()}")
    descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    try:
        with os.fdopen(descriptor, "wb") as file:
            file.write(base64.urlsafe_b64encode(master))
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)
    return master


def _checked(path: Path, content: bytes) -> bytes:
    try:
        master = base64.urlsafe_b64decode(content)
    except ValueError:
        master = b""
    if len(master) != 32:
        raise DataFolderError(
            f"The key file {path} is damaged. Restore a copy of it. Without one, move the file away, restart, "
            "and enter the feeds' keys again."
        )
    return master
