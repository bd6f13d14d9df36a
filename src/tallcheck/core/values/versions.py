"""Versions and ranges of them, as packages and systems write them."""

import re
from functools import lru_cache
from typing import Any

VERSION_MOST = 200
"""Characters of a version, or of a range of them."""


def in_range(version: str | None, span: str) -> bool | None:
    """Whether a version lies in a range such as ``>=9,<11``; None where that cannot be told."""
    if not span:
        return True
    return None if version is None else _in_range(version, span)


@lru_cache(maxsize=4096)
def _in_range(version: str, span: str) -> bool | None:
    wanted, plain = _span(span), _version(version)
    if wanted is None or plain is None:
        return None
    return bool(wanted.contains(plain, prereleases=True))


@lru_cache(maxsize=1024)
def _span(text: str) -> Any:
    """A range, parsed; None where it is none."""
    from packaging.specifiers import InvalidSpecifier, SpecifierSet

    try:
        return SpecifierSet(text) if len(text) <= VERSION_MOST else None
    except InvalidSpecifier:
        return None


@lru_cache(maxsize=4096)
def _version(text: str) -> Any:
    """A version, parsed; None where it is none."""
    from packaging.version import InvalidVersion, Version

    if len(text) > VERSION_MOST:
        return None
    try:
        return Version(re.sub(r"\s+R(?=\d)", ".", text))  # "2012 R2" is later than "2012"
    except InvalidVersion:
        return None


@lru_cache(maxsize=1024)
def some_in_range(span: str) -> str | None:
    """A version that lies in a range; None where none of those near its ends does."""
    ends = re.findall(r"\d[\w.]*", span)
    near = [one for end in ends for one in (end, f"{end}.1", f"{end.split('.')[0]}.99")]
    higher: list[Any] = [str(int(re.split(r"\D", end)[0]) + 1) for end in ends]
    for version in (*near, *higher, "0", "1"):
        if in_range(version, span):
            return str(version)
    return None
