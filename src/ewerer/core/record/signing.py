"""The handover's seal: a manifest with the SHA-256 of each member, signed with the crew's Ed25519 key (RFC 8032)."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import os
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

MANIFEST, SEAL = "manifest.json", "manifest.sig"
MAX_MEMBERS, MAX_UNFOLDED = 3000, 2_000_000_000
"""Bounds on a file that is verified: members, and bytes when unfolded."""
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
    """Return a public key's fingerprint: the first 20 bytes of its SHA-256 in groups of four digits."""
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

    verdict: str
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
    """Return whether a sealed file is unaltered; needs nothing but the file.

    ``expected`` is the fingerprint on the paper: a file that is sound in itself but sealed with another key is told apart
    (``other-key``) from one that was altered. Every byte counts: members, manifest, seal, and what lies between them.
    """
    try:
        file = zipfile.ZipFile(io.BytesIO(data))
        infos = file.infolist()
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, OverflowError, UnicodeDecodeError, EOFError):
        return Verified("unreadable", problems=("not a file that Ewerer sealed, or cut off",))
    names = [i.filename for i in infos]
    if len(infos) > MAX_MEMBERS or sum(i.file_size for i in infos) > MAX_UNFOLDED:
        return Verified("unreadable", problems=("more than a handover ever holds",))
    if MANIFEST not in names or SEAL not in names:
        return Verified("unreadable", problems=("it has no manifest or no seal",))
    contents: dict[str, bytes] = {}
    problems: list[str] = []
    for info in infos:
        try:
            contents[info.filename] = file.read(info)
        except Exception as error:  # zipfile, zlib and struct each raise their own for a damaged member
            problems.append(f"{info.filename}: cannot be read ({type(error).__name__})")
    if MANIFEST not in contents or SEAL not in contents:
        return Verified("altered", problems=tuple(problems))
    try:
        manifest = json.loads(contents[MANIFEST])
        public = base64.b64decode(manifest["public_key"], validate=True)
        members: dict[str, dict[str, Any]] = manifest["members"]
        Ed25519PublicKey.from_public_bytes(public).verify(base64.b64decode(contents[SEAL], validate=True), contents[MANIFEST])
        listed = {str(name): str(m["sha256"]) for name, m in members.items()}
    except InvalidSignature:
        return Verified("altered", problems=(*problems, f"{MANIFEST}: the seal is not of this manifest"))
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return Verified("altered", problems=(*problems, f"{MANIFEST}: cannot be read"))
    about = {k: v for k, v in manifest.items() if k not in ("members", "public_key", "fingerprint", "ewerer")}
    seen = fingerprint(public)
    if len(names) != len(set(names)):
        problems.append("a member stands twice")
    for name, digest in listed.items():
        if name not in names:
            problems.append(f"{name}: missing")
        elif name in contents and hashlib.sha256(contents[name]).hexdigest() != digest:
            problems.append(f"{name}: altered")
    problems += [f"{name}: added" for name in names if name not in listed and name not in (MANIFEST, SEAL)]
    if not problems and not _between(data, contents, names):
        problems.append("the file around its members was altered")
    if problems:
        return Verified("altered", seen, about, tuple(problems))
    if expected and "".join(expected.split()).lower() != "".join(seen.split()):
        return Verified("other-key", seen, about, ("sound in itself, but sealed with another key than the one expected",))
    return Verified("unaltered", seen, about)


def _between(data: bytes, contents: Mapping[str, bytes], names: list[str]) -> bool:
    """Return whether a file is byte for byte what sealing its members gives: nothing hides in headers, comments or gaps."""
    return _packed((name, contents[name]) for name in names) == data


def _packed(members: Iterable[tuple[str, bytes]]) -> bytes:
    """Return a zip of members, stored as they are: the same bytes on every machine, whatever presses files there."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as file:
        for name, data in members:
            info = zipfile.ZipInfo(name, EPOCH)
            info.create_system = 3
            info.external_attr = 0o644 << 16
            file.writestr(info, data)
    return out.getvalue()
