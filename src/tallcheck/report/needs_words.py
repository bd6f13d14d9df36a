"""The words of a needs sheet for reading: its keys, and the processor lines that are known."""

from tallcheck.core.machine.naming import Line as ProcessorLine
from tallcheck.core.machine.vocabulary import vocabulary
from tallcheck.core.needs.key import Key
from tallcheck.core.needs.keys import KEYS
from tallcheck.report.plain import Line, Page, wrap

_INDENT = " " * 20


def keys_with(word: str) -> list[Key]:
    """The keys in whose entry a word stands; all where there is none."""
    plain = word.lower()
    return [
        key for key in KEYS.values()
        if plain in f"{key.name} {key.label} {key.rule} {key.example} {key.remark}".lower()
    ]  # fmt: skip


def key_lines(keys: list[Key], page: Page) -> list[Line]:
    """Each key with its rule, what a bare value means, and an example."""
    lines: list[Line] = []
    for key in keys:
        lines += wrap(f"{key.label}. {key.rule}", page.width, _INDENT, first=f"{key.name:<20}")
        bare = f"a bare value means {key.bare}" + (f" ({key.remark})" if key.remark else "")
        lines += wrap(bare, page.width, _INDENT, "dim")
        lines += wrap(f"{key.name} = {key.example}", page.width, _INDENT, "dim")
    return lines


def lines_with(word: str) -> list[ProcessorLine]:
    """The processor lines in whose entry a word stands; all where there is none."""
    plain = word.lower()
    known = vocabulary().processors.lines.values()
    return [
        one for one in sorted(known, key=lambda one: (one.maker, one.name))
        if plain in f"{one.name} {one.maker} {one.architecture} {one.after}".lower()
    ]  # fmt: skip


def line_lines(found: list[ProcessorLine], page: Page) -> list[Line]:
    """Each line with its maker, its generations, and which line it carries on."""
    lines: list[Line] = []
    for one in found:
        told = [
            f"generations {one.generations}" if one.generations else "its names tell no generation",
            *([one.architecture] if one.architecture else []),
            *([f"carries on {one.after}, and counts as newer"] if one.after else []),
        ]
        text = f"{one.maker}: {'; '.join(told)}"
        lines += wrap(text, page.width, _INDENT, first=f"{one.name:<20}")
    return lines
