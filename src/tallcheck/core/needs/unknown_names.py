"""Names in a needs sheet that nothing is known by: lines, systems, processors, words."""

from collections.abc import Iterable, Iterator

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.processor import stands_for
from tallcheck.core.needs.sheet import Need
from tallcheck.core.needs.tests import Generations, Interfaces, Named, OneOf
from tallcheck.core.values.errors import nearest

_NAMED_MOST = 3
_INTERFACES = ("vulkan", "d3d", "wddm", "opengl", "opencl", "metal", "cuda")


def every_need(needs: Iterable[Need]) -> Iterator[Need]:
    """Needs, and those of their tables."""
    for need in needs:
        yield need
        for table in need.alternatives:
            yield from every_need(table)


def unknown_names(need: Need, vocabulary: Vocabulary) -> list[str]:
    """What in a need is no name that is known, each with the nearest."""
    test = need.test
    if isinstance(test, Generations):
        return _lines(test)
    if isinstance(test, Named) and need.key == "os":
        return _systems(test)
    if isinstance(test, OneOf) and need.key == "processors":
        return _processors(test, vocabulary)
    if isinstance(test, Interfaces):
        return [_nearest("interface", name, list(_INTERFACES)) for name in test.versions
                if name.lower() not in _INTERFACES]  # fmt: skip
    return []


def _nearest(what: str, word: str, known: list[str]) -> str:
    return f"no {what} is known as '{word}'{nearest(word, known)}"


def _lines(test: Generations) -> list[str]:
    known = test.namer
    names = [line.name for line in known.lines.values()]
    return [
        _nearest("processor line", name, names) + "; `tallcheck needs lines` lists them"
        for name in test.lines if name != "*" and known.line(name) is None
    ]  # fmt: skip


def _systems(test: Named) -> list[str]:
    systems = test.systems
    names = sorted(systems.every_name())
    return [
        _nearest("system", name, names)
        for name, _ in test.names
        if systems.called(name) is None and not systems.is_family(name)
    ]  # fmt: skip


def _processors(test: OneOf, vocabulary: Vocabulary) -> list[str]:
    odd = [word for word in test.words if not stands_for(word, vocabulary.processors)]
    if not odd:
        return []
    some = ", ".join(f"'{word}'" for word in odd[:_NAMED_MOST])
    more = f" and {len(odd) - _NAMED_MOST} more" if len(odd) > _NAMED_MOST else ""
    return [f"nothing known is called {some}{more}: such an entry may match no machine"]
