"""A needs sheet for reading."""

from tallcheck.core.machine.names import Line as ProcessorLine
from tallcheck.core.machine.readings import label_of
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.messages.rows import need_text
from tallcheck.core.needs.key import Key
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.sheet import Need, NeedsSheet, Release, needs_at
from tallcheck.report.plain import Line, Page, wrap


def needs_lines(sheet: NeedsSheet, releases: list[Release], page: Page) -> list[Line]:
    """Title and source, then each release with its needs at each strength."""
    lines: list[Line] = [[(sheet.title, "strong"), (f"  {sheet.kind}", "dim")]]
    read = f"read on {sheet.read_on}" if sheet.read_on else "never read, as far as is known"
    words = [sheet.publisher or "", sheet.source or "no source", read]
    lines += wrap(", ".join(word for word in words if word), page.width, "  ", "dim")
    if sheet.provisional:
        lines += wrap("provisional: the publisher may still change it", page.width, "  ", "open")
    for release in releases:
        ends = f"  supported until {release.support_ends}" if release.support_ends else ""
        lines += [
            [],
            [(f"{sheet.title} {release.name}".strip(), "strong"), (ends, "dim")],
        ]
        for level in ("floor", "minimum", "recommended"):
            needs = needs_at(release, level)
            if needs is not None:
                lines.append([(f"  {level}", "")])
                lines += [line for need in needs for line in _need(need, page)]
    return lines


def _need(need: Need, page: Page) -> list[Line]:
    text = need_text(need)
    if need.when:
        text += ", where " + " and ".join(
            f"{label_of(one.name) if one.key is None else one.key.label} is {one.text}"
            for one in need.when
        )
    return wrap(text, page.width, " " * 22, first=f"    {need.key[:16]:<18}")


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


def lines_with(word: str, vocabulary: Vocabulary) -> list[ProcessorLine]:
    """The processor lines in whose entry a word stands; all where there is none."""
    plain = word.lower()
    known = vocabulary.processors.lines.values()
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
