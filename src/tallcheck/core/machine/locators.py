"""What the words that stand on a board beside its positions tell of channel and processor."""

import re

_CHANNEL = (
    re.compile(r"channel[\s_-]*([A-L]|\d)", re.IGNORECASE),
    re.compile(r"dimm[\s_-]?([A-L])[\s_-]?\d", re.IGNORECASE),
    re.compile(r"\b([A-L])\d\b"),
    re.compile(r"([A-L])", re.IGNORECASE),
)
_CONTROLLER = re.compile(r"(?:controller|\bimc|\bmc)[\s_]?(\d)", re.IGNORECASE)
_SOCKET = re.compile(r"(?:\bP|CPU|PROC(?:ESSOR)?|NODE)[\s_]?(\d)", re.IGNORECASE)


def socket_of(text: str) -> int | None:
    """The number of the processor that a locator, or a socket's own name, tells."""
    found = _SOCKET.search(text)
    return int(found[1]) if found else None


def channel_of(locator: str | None, bank: str | None) -> str | None:
    """The channel that a locator or a bank names: ``DIMM A1`` and ``ChannelA`` are both A.

    Where they name no channel but the processor, that is the group: ``socket 1``.
    """
    both = f"{locator} {bank}"
    socket, controller = _SOCKET.search(both), _CONTROLLER.search(both)
    for text in (locator or "", bank or ""):
        for pattern in _CHANNEL[:3]:
            found = pattern.search(text)
            if found:
                within = (f"P{socket[1]}-" if socket else "") + (
                    f"C{controller[1]}-" if controller else ""
                )
                return within + found[1].upper()
    alone = _CHANNEL[3].fullmatch((bank or "").strip())
    if alone:
        return alone[1].upper()
    return f"socket {socket[1]}" if socket else None
