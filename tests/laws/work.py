"""Work as a count, not by a clock: steps of a backtracking matcher, and lines of our own code.

The matcher walks the parsed pattern as the standard library's does, without its shortcuts, so that
what it counts is the work for the worst text; the result of a search is still the library's.
"""

import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from re import _constants as op  # type: ignore[attr-defined]
from re import _parser as parser  # type: ignore[attr-defined]
from typing import Any

Rest = Callable[[int], bool]
Node = Callable[["_Run", int, Rest], bool]


class TooMuchError(Exception):
    """More work than any sound reader does."""


class Work:
    """Steps so far, and how many there may be."""

    def __init__(self, most: int) -> None:
        self.steps, self.most = 0, most

    def add(self, steps: int) -> None:
        self.steps += steps
        if self.steps > self.most:
            raise TooMuchError


class _Run:
    def __init__(self, text: str, work: Work) -> None:
        self.text, self.work, self.groups = text, work, dict[int, tuple[int, int]]()


def _one(item: Any, flags: int) -> Callable[[str], bool] | None:
    """What a single character must be; None where an item takes more than one."""
    kind, value = item
    if kind in (op.LITERAL, op.NOT_LITERAL, op.IN, op.ANY):
        fold = str.lower if flags & re.IGNORECASE else str
        if kind is op.ANY:
            return lambda ch: bool(flags & re.DOTALL) or ch != "\n"
        if kind is op.LITERAL:
            return lambda ch: fold(ch) == fold(chr(value))
        if kind is op.NOT_LITERAL:
            return lambda ch: fold(ch) != fold(chr(value))
        return _set(value, flags)
    return None


def _set(items: Any, flags: int) -> Callable[[str], bool]:
    written = []
    for kind, value in items:
        if kind is op.NEGATE:
            written.append("^")
        elif kind is op.LITERAL:
            written.append(re.escape(chr(value)))
        elif kind is op.RANGE:
            written.append(f"{re.escape(chr(value[0]))}-{re.escape(chr(value[1]))}")
        else:
            written.append(_CATEGORIES[value])
    pattern = re.compile(f"[{''.join(written)}]", flags & (re.IGNORECASE | re.ASCII))
    known: dict[str, bool] = {}

    def test(ch: str) -> bool:
        if ch not in known:
            known[ch] = _REAL["fullmatch"](pattern, ch) is not None
        return known[ch]

    return test


_CATEGORIES = {
    op.CATEGORY_DIGIT: r"\d",
    op.CATEGORY_NOT_DIGIT: r"\D",
    op.CATEGORY_SPACE: r"\s",
    op.CATEGORY_NOT_SPACE: r"\S",
    op.CATEGORY_WORD: r"\w",
    op.CATEGORY_NOT_WORD: r"\W",
}


def _sequence(items: list[Any], flags: int) -> Node:
    nodes = [_node(item, flags) for item in items]

    def run(state: _Run, at: int, rest: Rest) -> bool:
        def step(number: int, here: int) -> bool:
            if number == len(nodes):
                return rest(here)
            return nodes[number](state, here, lambda there: step(number + 1, there))

        return step(0, at)

    return run


def _node(item: Any, flags: int) -> Node:
    kind, value = item
    single = _one(item, flags)
    if single is not None:

        def char(state: _Run, at: int, rest: Rest) -> bool:
            state.work.add(1)
            return at < len(state.text) and single(state.text[at]) and rest(at + 1)

        return char
    if kind in (op.MAX_REPEAT, op.MIN_REPEAT, op.POSSESSIVE_REPEAT):
        return _repeat(kind, value, flags)
    if kind is op.BRANCH:
        ways = [_sequence(list(one), flags) for one in value[1]]
        return lambda state, at, rest: any(way(state, at, rest) for way in ways)
    if kind is op.SUBPATTERN:
        number, more, less, inner = value
        body = _sequence(list(inner), (flags | more) & ~less)

        def group(state: _Run, at: int, rest: Rest) -> bool:
            def behind(end: int) -> bool:
                if number is not None:
                    before = state.groups.get(number)
                    state.groups[number] = (at, end)
                    if rest(end):
                        return True
                    if before is not None:
                        state.groups[number] = before
                    return False
                return rest(end)

            return body(state, at, behind)

        return group
    if kind is op.ATOMIC_GROUP:
        atom = _sequence(list(value), flags)

        def atomic(state: _Run, at: int, rest: Rest) -> bool:
            ends: list[int] = []
            return atom(state, at, lambda end: ends.append(end) or True) and rest(ends[0])  # type: ignore[func-returns-value]

        return atomic
    if kind in (op.ASSERT, op.ASSERT_NOT):
        return _look(kind is op.ASSERT, value, flags)
    if kind is op.AT:
        return lambda state, at, rest: _at(value, state.text, at, flags) and rest(at)
    if kind is op.GROUPREF:

        def again(state: _Run, at: int, rest: Rest) -> bool:
            first, last = state.groups.get(value, (0, -1))
            part = state.text[first:last] if last >= first else None
            return part is not None and state.text.startswith(part, at) and rest(at + len(part))

        return again
    raise NotImplementedError(kind)


def _look(wanted: bool, ahead: tuple[int, Any], flags: int) -> Node:
    direction, inner = ahead
    body = _sequence(list(inner), flags)
    low, high = inner.getwidth()

    def look(state: _Run, at: int, rest: Rest) -> bool:
        if direction > 0:
            found = body(state, at, lambda end: True)
        else:
            found = any(
                at - back >= 0 and body(state, at - back, lambda end: end == at)
                for back in range(low, high + 1)
            )
        return found is wanted and rest(at)

    return look


def _repeat(kind: Any, given: tuple[int, Any, Any], flags: int) -> Node:
    least, most, inner = given
    items = list(inner)
    limit = sys.maxsize if most is op.MAXREPEAT else int(most)
    single = _one(items[0], flags) if len(items) == 1 else None
    if single is not None:
        return lambda state, at, rest: _run_of(state, at, rest, single, least, limit, kind)
    body = _sequence(items, flags)

    def many(state: _Run, at: int, rest: Rest, count: int = 0) -> bool:
        def more() -> bool:
            return count < limit and body(
                state,
                at,
                lambda end: (end > at or count < least) and many(state, end, rest, count + 1),
            )

        state.work.add(1)
        enough = count >= least
        if kind is op.MIN_REPEAT:
            return (enough and rest(at)) or more()
        return more() or (enough and rest(at))

    return many


def _run_of(
    state: _Run,
    at: int,
    rest: Rest,
    single: Callable[[str], bool],
    least: int,
    limit: int,
    kind: Any,
) -> bool:
    """A repeat of one character: as many as there are, and then fewer, or the other way round."""
    text, count = state.text, 0
    while count < limit and at + count < len(text) and single(text[at + count]):
        count += 1
        state.work.add(1)
        if kind is op.MIN_REPEAT and count >= least and rest(at + count):
            return True
    if kind is op.POSSESSIVE_REPEAT:
        return count >= least and rest(at + count)
    if kind is op.MIN_REPEAT:
        return least == 0 and count == 0 and rest(at)
    while count >= least:
        state.work.add(1)
        if rest(at + count):
            return True
        count -= 1
    return False


def _at(where: Any, text: str, at: int, flags: int) -> bool:
    if where in (op.AT_BEGINNING, op.AT_BEGINNING_STRING):
        return at == 0 or bool(
            where is op.AT_BEGINNING and flags & re.MULTILINE and text[at - 1] == "\n"
        )
    if where is op.AT_END:
        return (
            at == len(text)
            or (at == len(text) - 1 and text[at] == "\n")
            or bool(flags & re.MULTILINE and text[at] == "\n")
        )
    if where is op.AT_END_STRING:
        return at == len(text)
    before = at > 0 and (text[at - 1].isalnum() or text[at - 1] == "_")
    behind = at < len(text) and (text[at].isalnum() or text[at] == "_")
    return (before != behind) is (where is op.AT_BOUNDARY)


@lru_cache(maxsize=4096)
def _matcher(pattern: str, flags: int) -> Node:
    parsed = parser.parse(pattern, flags)
    return _sequence(list(parsed), parsed.state.flags)


def count(work: Work, how: str, pattern: str, flags: int, text: str) -> None:
    """Add the steps that a pattern takes on a text."""
    match = _matcher(pattern, flags)
    at = 0
    while at <= len(text):
        ends: list[int] = []
        work.add(1)

        def end(there: int, ends: list[int] = ends) -> bool:
            if how == "fullmatch" and there != len(text):
                return False
            ends.append(there)
            return True

        if match(_Run(text, work), at, end):
            if how in ("search", "match", "fullmatch"):
                return
            at = max(ends[0], at + 1)
        else:
            at += 1
        if how in ("match", "fullmatch"):
            return


_NAMES = ("search", "match", "fullmatch", "sub", "split", "findall", "finditer")
_REAL: dict[str, Callable[..., Any]] = {name: getattr(re, name) for name in _NAMES}


class Counted:
    """A compiled pattern whose work is counted."""

    def __init__(self, pattern: "re.Pattern[str]", work: Work) -> None:
        self._pattern, self._work = pattern, work

    def __getattr__(self, name: str) -> Any:
        found = getattr(self._pattern, name)
        if name not in _NAMES:
            return found

        def call(*words: Any, **more: Any) -> Any:
            text = words[1] if name == "sub" else words[0]
            if isinstance(text, str):
                count(
                    self._work, name, self._pattern.pattern, self._pattern.flags & ~re.UNICODE, text
                )
            return found(*words, **more)

        return call


@contextmanager
def counted(most: int) -> Iterator[Work]:
    """Within this, every pattern and every line of ours adds to the work."""
    work = Work(most)
    replaced = []
    for module in [one for name, one in sys.modules.items() if name.startswith("tallcheck")]:
        for name, value in list(vars(module).items()):
            if isinstance(value, re.Pattern) and isinstance(value.pattern, str):
                replaced.append((module, name, value))
                setattr(module, name, Counted(value, work))
    for name in _NAMES:
        setattr(re, name, _call(name, work))
    before, depth = sys.gettrace(), sys.getrecursionlimit()
    sys.setrecursionlimit(60_000)
    sys.settrace(lambda frame, event, value: _line(frame, work))
    try:
        yield work
    finally:
        sys.settrace(before)
        sys.setrecursionlimit(depth)
        for name in _NAMES:
            setattr(re, name, _REAL[name])
        for module, name, value in replaced:
            setattr(module, name, value)


def _call(name: str, work: Work) -> Callable[..., Any]:
    def call(pattern: Any, *words: Any, **more: Any) -> Any:
        text = words[1] if name == "sub" else words[0]
        if isinstance(text, str):
            flags = int(more.get("flags", 0))
            if isinstance(pattern, re.Pattern):
                count(work, name, pattern.pattern, pattern.flags & ~re.UNICODE, text)
            else:
                count(work, name, pattern, flags, text)
        return _REAL[name](pattern, *words, **more)

    return call


def _line(frame: Any, work: Work) -> Any:
    """What traces a frame: lines of our own code count, all other code is passed by."""
    if "tallcheck" not in frame.f_code.co_filename or "laws" in frame.f_code.co_filename:
        return None

    def trace(frame: Any, event: str, value: Any) -> Any:
        if event == "line":
            work.add(1)
        return trace

    return trace
