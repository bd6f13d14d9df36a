"""Quantities: what people type is read, the rest refused, and what is printed reads back."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tallcheck.core.values import comparison as c
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound, parse_bound
from tallcheck.core.values.errors import InputError


@pytest.mark.parametrize(
    ("parse", "text", "value"),
    [
        (q.parse_memory, "8gb", 8 * q.GIB),
        (q.parse_memory, "8 GiB", 8 * q.GIB),
        (q.parse_memory, "8192 MB", 8 * q.GIB),
        (q.parse_memory, " 1.5 g ", 3 * q.GIB // 2),
        (q.parse_memory, "1,5 GB", 3 * q.GIB // 2),
        (q.parse_memory, "512 bytes", 512),
        (q.parse_memory, "0 GB", 0),
        (q.parse_storage, "256 GB", 256 * 10**9),
        (q.parse_storage, "1 TiB", 1 << 40),
        (q.parse_clock, "2,5 GHz", 2_500_000_000),
        (q.parse_clock, "800MHz", 800_000_000),
        (q.parse_speed, "3200 MHz", 3200),
        (q.parse_speed, "2933", 2933),
        (q.parse_share, "80 %", 0.8),
        (q.parse_share, "0.8", 0.8),
        (q.parse_duration, "5s", 5.0),
        (q.parse_duration, "1,5 h", 5400.0),
        (q.parse_count, " 12 ", 12),
    ],
)
def test_what_people_type(parse: Callable[[str], Any], text: str, value: float) -> None:
    assert parse(text) == value


@pytest.mark.parametrize(
    ("parse", "text"),
    [
        *((q.parse_memory, t) for t in ("8", "", "GB", "-8 GB", "nan GB", "lots", "8 GHz",
                                        "1.024 GB", "1.2.3 GB", "1e3 GB", "9999999999 TB",
                                        "0.0000000001 KB", "8 GB 4", "8" * 50 + " GB")),
        *((q.parse_clock, t) for t in ("2.5", "2 GB", "")),
        *((q.parse_share, t) for t in ("80", "-1 %", "101 %", "nan")),
        *((q.parse_duration, t) for t in ("5", "0s", "forever", "5 parsecs")),
        *((q.parse_count, t) for t in ("4.5", "-1", "", "four", "٤" * 12)),
    ],
)  # fmt: skip
def test_the_rest_is_refused_with_what_was_expected(parse: Callable[[str], Any], text: str) -> None:
    with pytest.raises(InputError) as caught:
        parse(text)
    assert "expected" in str(caught.value)


@given(st.integers(0, 1 << 52))
def test_sizes_read_back_to_what_was_shown(size: int) -> None:
    for show, parse in ((q.format_memory, q.parse_memory), (q.format_storage, q.parse_storage)):
        text = show(size)
        again = parse(text)
        assert show(again) == text
        assert abs(again - size) <= 0.051 * max(again, size, 1)


@given(st.integers(0, 10**13))
def test_clocks_and_durations_read_back(value: int) -> None:
    text = q.format_clock(value)
    assert q.format_clock(q.parse_clock(text)) == text
    if 0 < value < 10**6:
        longest = q.format_duration(value).split(" ")
        parts = [q.parse_duration(" ".join(longest[n : n + 2])) for n in range(0, len(longest), 2)]
        assert abs(sum(parts) - value) <= 3600


@given(st.text(max_size=30))
@example("0\x1f")
def test_no_text_does_more_than_raise_an_input_error(text: str) -> None:
    for parse in (q.parse_memory, q.parse_clock, q.parse_share, q.parse_duration, q.parse_count):
        try:
            assert parse(text) >= 0
        except InputError:
            continue


@pytest.mark.parametrize(
    ("text", "bound", "met", "short"),
    [
        ("8 GB", Bound(c.AT_LEAST, 8 * q.GIB), 8 * q.GIB, 8 * q.GIB - 1),
        (">= 8 GB", Bound(c.AT_LEAST, 8 * q.GIB), 9 * q.GIB, 0),
        ("<=4 GB", Bound(c.AT_MOST, 4 * q.GIB), 4 * q.GIB, 4 * q.GIB + 1),
        ("..4GB", Bound(c.AT_MOST, 4 * q.GIB), 0, 5 * q.GIB),
        ("4 GB..", Bound(c.AT_LEAST, 4 * q.GIB), 4 * q.GIB, 3 * q.GIB),
        ("= 4 GB", Bound(c.EXACTLY, 4 * q.GIB), 4 * q.GIB, 5 * q.GIB),
        ("!= 4 GB", Bound(c.NOT, 4 * q.GIB), 5 * q.GIB, 4 * q.GIB),
        ("not 4 GB", Bound(c.NOT, 4 * q.GIB), 5 * q.GIB, 4 * q.GIB),
        ("2..8 GB", Bound(c.BETWEEN, 2 * q.GIB, 8 * q.GIB), 8 * q.GIB, 9 * q.GIB),
    ],
)
def test_written_comparisons(text: str, bound: Bound, met: int, short: int) -> None:
    assert parse_bound(text, q.parse_memory, c.AT_LEAST) == bound
    assert bound.holds(met)
    assert not bound.holds(short)


@pytest.mark.parametrize("text", ["..", "8 GB..2 GB", ">> 4 GB", "< 4 GB", ">=", "= lots"])
def test_odd_comparisons_are_refused(text: str) -> None:
    with pytest.raises(InputError):
        parse_bound(text, q.parse_memory, c.AT_LEAST)
