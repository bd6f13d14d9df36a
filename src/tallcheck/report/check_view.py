"""A check for reading in a terminal: the answer first, then what it rests on, then the rows."""

from tallcheck.core.jobs.check import Check
from tallcheck.core.messages.sentence import (
    headline,
    newest_that_runs,
    releases_of,
    sentence,
    wanted_text,
)
from tallcheck.core.values.text import printable
from tallcheck.report.formats import ShownRow, limit_text, plain_rows, recommended_rows, sections
from tallcheck.report.plain import Line, Page, wrap

_STATUS_STYLES = {"met": "good", "short": "bad", "unknown": "open"}

_SECTION_STYLES = {
    "Conflicts": "bad", "In doubt": "bad", "What would settle it, most telling first": "open",
}  # fmt: skip

_MARK = 8  # cells of the bar up to the mark that stands for the need
_BAR = 12
_KEY = 17


def bar(ratio: float | None, status: str) -> str:
    """Have as a height against a mark at the need: ``█████···│   ``."""
    if status == "unknown":
        return "?".ljust(_MARK, "·") + "│".ljust(_BAR - _MARK)
    if ratio is None:  # a list, bits, yes or no: there is no height to draw
        return " " * _BAR
    cells = int(min(ratio, 10) * _MARK)
    if status == "short" and ratio < 1:
        cells = min(cells, _MARK - 1)
    elif status == "met":
        cells = max(cells, _MARK) if ratio >= 1 else _MARK
    below = "█" * min(cells, _MARK)
    above = "█" * min(cells - _MARK, _BAR - _MARK - 2) if cells > _MARK else ""
    more = "►" if cells > _BAR - 2 else ""
    return (below.ljust(_MARK, "·") + "│" + above + more).ljust(_BAR)


def cut(text: str, width: int) -> str:
    """Untrusted text in at most ``width`` columns."""
    text = printable(text)
    return text if len(text) <= width else text[: width - 1] + "…"


def view_lines(results: list[Check], samples: list[str], page: Page) -> list[Line]:
    """The view of one check, or the table over several releases."""
    if len(results) > 1:
        return releases_lines(results, samples, page)
    return check_lines(results[0], samples, page)


def check_lines(result: Check, samples: list[str], page: Page) -> list[Line]:
    """The whole view of one check."""
    decision = result.verdict.decision
    style = decision.answer
    lines: list[Line] = [[(headline(result), style)]]
    lines += wrap(sentence(result), page.width, style="strong")
    for title, texts in sections(result):
        lines += section(title, texts, page, _SECTION_STYLES.get(title, ""))
    widths = _widths(result, page)
    lines += [[], *_rows(result, page, widths)]
    lines += _recommended(result, page, widths)
    if result.machine.notes:
        lines += section("Notes", list(result.machine.notes), page, "dim")
    lines += _samples(samples, page)
    return lines


def _samples(samples: list[str], page: Page) -> list[Line]:
    if not samples:
        return []
    names = " and ".join(samples)
    text = f"{names}: made-up sample needs of the demo, not a real publisher's."
    return [[], *wrap(text, page.width, style="dim")]


def section(title: str, texts: list[str], page: Page, style: str = "") -> list[Line]:
    """A title and a list below it; nothing where the list is empty."""
    if not texts:
        return []
    lines: list[Line] = [[], [(title, "strong")]]
    for text in texts:
        lines += wrap(text, page.width, "    ", style, "  - ")
    return lines


def _rows(result: Check, page: Page, widths: tuple[int, int]) -> list[Line]:
    names = wanted_text(result)
    title = f"{result.machine.name} against {names}, {result.level}"
    lines: list[Line] = [[(title, "strong")]]
    return lines + _table(plain_rows(result), page, widths, len(result.against) > 1)


def _table(
    rows: list[ShownRow],
    page: Page,
    widths: tuple[int, int],
    several: bool,
    noted: frozenset[str] = frozenset(),
) -> list[Line]:
    asked, there = widths
    head = f"  {'what':<{_KEY}}{'asked':<{asked}}{'there':<{there}}"
    if any(row.height is not None for row in rows):
        head += f"{'│ = asked':>{_MARK + 9}}"
    lines: list[Line] = [[(head.rstrip(), "dim")]]
    for row in rows:
        style = _STATUS_STYLES[row.status]
        line: Line = [
            (f"  {cut(row.key, _KEY - 1):<{_KEY}}", ""),
            (f"{cut(row.need_text, asked - 1):<{asked}}", ""),
            (f"{cut(row.have_text, there - 1):<{there}}", ""),
            (bar(row.height, row.status) + "  ", style),
            (row.status, style),
        ]
        lines.append(line)
        lines += _under(row, page, several, widths, row.note not in noted)
    return lines


def _widths(result: Check, page: Page) -> tuple[int, int]:
    """The columns of what is asked and what is there, for all the view's tables."""
    most = min((page.width - _KEY - _BAR - 12) // 2, 28)
    rows = [*plain_rows(result), *recommended_rows(result)]
    asked, there = [row.need_text for row in rows], [row.have_text for row in rows]
    return _width(asked, most), _width(there, most)


def _width(texts: list[str], most: int) -> int:
    """A column as wide as its texts, within bounds."""
    return min(max(map(len, (*texts, "asked"))) + 2, most)


def _under(
    row: ShownRow, page: Page, several: bool, widths: tuple[int, int], noted: bool
) -> list[Line]:
    """What stands under a row: text that was cut, its fix, its note, and where it is from."""
    texts = []
    asked, there = widths
    if len(row.need_text) >= asked:
        texts.append(f"asked: {row.need_text}")
    if len(row.have_text) >= there:
        texts.append(f"there: {row.have_text}")
    if row.note and noted and (page.verbose or row.status != "met"):
        texts.append(row.note)
    if row.status == "short":
        texts.append(f"fix: {row.fix_text}")
    if row.origin and row.origin.how == "worked out" and row.status != "unknown":
        texts.append(f"worked out from {row.origin.source}")
    elif page.verbose and row.origin:
        texts.append(f"{row.origin.how}: {row.origin.source or 'by a person'}")
    if several and page.verbose:
        texts.append(f"asked by {row.source}")
    return [line for text in texts for line in wrap(text, page.width, "      ", "dim", "    ")]


def _recommended(result: Check, page: Page, widths: tuple[int, int]) -> list[Line]:
    if result.recommended is None:
        return []
    answer = result.recommended.decision.answer
    line: Line = [
        ("Held against what is recommended: ", "strong"),
        (answer, answer),
    ]
    lines: list[Line] = [[], line]
    rows = recommended_rows(result)
    if rows:
        noted = frozenset(row.note for row in plain_rows(result))
        lines += _table(rows, page, widths, False, noted)
    return lines


def releases_lines(results: list[Check], samples: list[str], page: Page) -> list[Line]:
    """One line for each release, newest first, and the newest that runs."""
    lines = wrap(newest_that_runs(results), page.width, style="strong")
    lines.append([])
    releases = releases_of(results)
    width = max(len(one.label) for one in releases) + 2
    lines.append([(f"  {'release':<{width}}{'answer':<14}{'supported to':<14}limited by", "dim")])
    for release, result in zip(releases, results, strict=True):
        decision, ends = result.verdict.decision, release.release.support_ends
        lines.append(
            [
                (f"  {printable(release.label):<{width}}", ""),
                (f"{decision.answer:<14}", decision.answer),
                (f"{ends.isoformat() if ends else '-':<14}", ""),
                (cut(limit_text(result), page.width - width - 30), ""),
            ]
        )
    return lines + _samples(samples, page)
