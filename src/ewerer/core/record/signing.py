"""The handover's seal: a manifest with the SHA-256 of each member, signed with the crew's Ed25519 key (RFC 8032)."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import os
import shutil
import tempfile
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO, Literal

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

MANIFEST, SEAL = "manifest.json", "manifest.sig"
MAX_MEMBERS, MAX_UNFOLDED = 3000, 2_000_000_000
"""Bounds on a file that is verified: members, and bytes when unfolded."""
MAX_MANIFEST, PIECE = 4_000_000, 1_000_000
"""Largest manifest [bytes], and how much of a file is read at a time."""
EPOCH = (1980, 1, 1, 0, 0, 0)


def crew_key(path: Path) -> Ed25519PrivateKey:
    """Return the key kept in a file, made on first use; the file is for its owner alone (0600) and written in one piece."""
    if path.exists():
        key = serialization.load_pem_private_key(path.read_bytes(), password=None)
        if not isinstance(key, Ed25519PrivateKey):
            raise ValueError(f"{path.name} is not an Ed25519 key")
        return key
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    made = Ed25519PrivateKey.generate()
    pem = made.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    beside = path.with_name(f"{path.name}.{os.getpid()}")
    handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as out:
        out.write(pem)
        out.flush()
        os.fsync(out.fileno())
    try:
        os.link(beside, path)  # whoever comes second keeps the first one's key
    except FileExistsError:
        return crew_key(path)
    finally:
        beside.unlink()
    return made


def public_bytes(key: Ed25519PrivateKey | Ed25519PublicKey) -> bytes:
    """Return the 32 bytes of a public key."""
    public = key.public_key() if isinstance(key, Ed25519PrivateKey) else key
    return public.public_bytes(serialization.Encoding.Raw, serialization.PublicFormat.Raw)


def fingerprint(public: bytes) -> str:
    """Return a public key's fingerprint: the first 20 bytes of its SHA-256 in groups of four digits.

    >>> fingerprint(bytes(32))[:19]
    '6668 7aad f862 bd77'
    """
    digits = hashlib.sha256(public).hexdigest()[:40]
    return " ".join(digits[i : i + 4] for i in range(0, 40, 4))


def seal(members: Mapping[str, bytes], key: Ed25519PrivateKey, about: Mapping[str, Any]) -> bytes:
    """Return a zip of members with a signed manifest; the same members and key give the same bytes."""
    public = public_bytes(key)
    manifest = {
        "ewerer": "handover/1",
        **about,
        "public_key": base64.b64encode(public).decode(),
        "fingerprint": fingerprint(public),
        "members": {
            name: {"sha256": hashlib.sha256(data).hexdigest(), "bytes": len(data)} for name, data in sorted(members.items())
        },
    }
    text = json.dumps(manifest, indent=1, sort_keys=True, ensure_ascii=False).encode()
    return _packed([(MANIFEST, text), (SEAL, base64.b64encode(key.sign(text))), *sorted(members.items())])


@dataclass(frozen=True)
class Verified:
    """Whether a file is as it was sealed: ``unaltered``, ``altered``, ``other-key`` or ``unreadable``; by whom; what is wrong."""

    verdict: Literal["unaltered", "altered", "other-key", "unreadable"]
    fingerprint: str = ""
    about: Mapping[str, Any] = field(default_factory=dict)
    problems: tuple[str, ...] = ()

    def to_data(self) -> dict[str, Any]:
        """Return it as plain data."""
        return {
            "ewerer": "verified/1",
            "verdict": self.verdict,
            "fingerprint": self.fingerprint,
            "about": dict(self.about),
            "problems": list(self.problems),
        }


def verify(data: bytes, expected: str = "") -> Verified:
    """Return whether the bytes of a sealed file are unaltered; see :func:`verify_file`."""
    return _verify(io.BytesIO(data), expected)


def verify_file(path: Path, expected: str = "") -> Verified:
    """Return whether a sealed file is unaltered; needs nothing but the file, which is read piece by piece.

    ``expected`` is the fingerprint on the paper: a file that is sound in itself but sealed with another key is told apart
    (``other-key``) from one that was altered. Every byte counts: members, manifest, seal, and what lies between them.
    """
    with path.open("rb") as held:
        return _verify(held, expected)


def _verify(held: BinaryIO, expected: str) -> Verified:
    try:
        file = zipfile.ZipFile(held)
        infos = file.infolist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, OverflowError, UnicodeDecodeError, EOFError):
        return Verified("unreadable", problems=("not a file that Ewerer sealed, or cut off",))
    names = [i.filename for i in infos]
    size = held.seek(0, io.SEEK_END)
    if len(infos) > MAX_MEMBERS or size > MAX_UNFOLDED:
        return Verified("unreadable", problems=("more than a handover ever holds",))
    if MANIFEST not in names or SEAL not in names:
        return Verified("unreadable", problems=("it has no manifest or no seal",))
    # A sealed file stores its members as they are, so none is larger than the file: what is packed otherwise is never unpacked.
    problems = [f"{i.filename}: not stored as sealing does" for i in infos if not _stored(i, size)]
    if problems:
        return Verified("altered", problems=tuple(problems))
    digests: dict[str, str] = {}
    texts: dict[str, bytes] = {}
    for info in infos:
        try:
            digest = hashlib.sha256()
            with file.open(info) as member:
                for part in iter(lambda m=member: m.read(PIECE), b""):  # type: ignore[misc]
                    digest.update(part)
            digests[info.filename] = digest.hexdigest()
            if info.filename in (MANIFEST, SEAL) and info.file_size <= MAX_MANIFEST:
                texts[info.filename] = file.read(info)
        except Exception as error:  # zipfile, zlib and struct each raise their own for a damaged member
            problems.append(f"{info.filename}: cannot be read ({type(error).__name__})")
    if MANIFEST not in texts or SEAL not in texts:
        return Verified("altered", problems=tuple(problems) or (f"{MANIFEST}: larger than a manifest ever is",))
    try:
        manifest = json.loads(texts[MANIFEST])
        public = base64.b64decode(manifest["public_key"], validate=True)
        members: dict[str, dict[str, Any]] = manifest["members"]
        Ed25519PublicKey.from_public_bytes(public).verify(base64.b64decode(texts[SEAL], validate=True), texts[MANIFEST])
        listed = {str(name): str(m["sha256"]) for name, m in members.items()}
    except InvalidSignature:
        return Verified("altered", problems=(*problems, f"{MANIFEST}: the seal is not of this manifest"))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return Verified("altered", problems=(*problems, f"{MANIFEST}: cannot be read"))
    about = {k: v for k, v in manifest.items() if k not in ("members", "public_key", "fingerprint", "ewerer")}
    seen = fingerprint(public)
    if len(names) != len(set(names)):
        problems.append("a member stands twice")
    for name, digest_listed in listed.items():
        if name not in names:
            problems.append(f"{name}: missing")
        elif name in digests and digests[name] != digest_listed:
            problems.append(f"{name}: altered")
    problems += [f"{name}: added" for name in names if name not in listed and name not in (MANIFEST, SEAL)]
    if not problems and not _between(held, file, infos):
        problems.append("the file around its members was altered")
    if problems:
        return Verified("altered", seen, about, tuple(problems))
    if expected and "".join(expected.split()).lower() != "".join(seen.split()):
        return Verified("other-key", seen, about, ("sound in itself, but sealed with another key than the one expected",))
    return Verified("unaltered", seen, about)


def _stored(info: zipfile.ZipInfo, size: int) -> bool:
    return info.compress_type == zipfile.ZIP_STORED and info.file_size == info.compress_size <= size


def _between(held: BinaryIO, file: zipfile.ZipFile, infos: list[zipfile.ZipInfo]) -> bool:
    """Return whether a file is byte for byte what sealing its members gives: nothing hides in headers, comments or gaps."""
    with tempfile.TemporaryFile() as again:
        with zipfile.ZipFile(again, "w", zipfile.ZIP_STORED) as out:
            for info in infos:
                with file.open(info) as member, out.open(_info(info.filename, info.file_size), "w") as copy:
                    shutil.copyfileobj(member, copy, PIECE)
        again.seek(0)
        held.seek(0)
        while part := held.read(PIECE):
            if again.read(PIECE) != part:
                return False
        return not again.read(1)


def _info(name: str, size: int) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, EPOCH)
    info.create_system = 3
    info.external_attr = 0o644 << 16
    info.file_size = size
    return info


def _packed(members: Iterable[tuple[str, bytes]]) -> bytes:
    """Return a zip of members, stored as they are: the same bytes on every machine, whatever presses files there."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as file:
        for name, data in members:
            file.writestr(_info(name, len(data)), data)
    return out.getvalue()
