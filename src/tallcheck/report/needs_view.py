"""A needs sheet for reading."""

from tallcheck.core.machine.readings import label_of
from tallcheck.core.needs.sheet import Need, NeedsSheet, Release, needs_at
from tallcheck.core.words.rows import need_text
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
