"""Answers to one question: the reading that was asked for, in a phrase of many forms."""

from collections.abc import Callable
from typing import Any

from hypothesis import strategies as st

from tallcheck.core.machine.sheet import Module
from tallcheck.core.text.said import read_said
from tests.helpers import GIB, VOCABULARY
from tests.laws.law import Law

GB = 10**9
NUMBERS = {1: "one", 2: "two", 3: "three", 4: "four", 6: "six", 8: "eight"}
# {n}: positions, {u}: of them in use, {f}: free; each form tells two of the three
SLOTS = (
    "{n} slots, {u} used", "{n} slots, {f} free", "{u} of {n} used", "{f} of {n} free",
    "{n}, {u} in use", "{n} ({f} free)", "{n} ({u} used)", "{u} used, {f} free", "{u}/{n}",
    "{n} total, {f} empty", "{u} of {n} slots filled", "{n} memory slots, {u} populated",
    "{n} Steckplätze, {f} frei", "{n} emplacements, {f} libres", "{n} slots, {f} of them free",
)  # fmt: skip
# {s}: the size of each module, {n}: how many, {all}: what they come to
MODULES = (
    "{n}x{s}GB", "{n} x {s} GB", "{n} x {s} GB DDR4", "{n}*{s}GB", "{n} sticks of {s} GB",
    "{n} modules of {s} GB", "{n} mal {s} GB", "{n} fois {s} Go", "{all} GB ({n}x{s}GB)",
    "{all} GB ({n} x {s})", "{all} GB, {n} modules", "{all} GB ({n} modules)", "{s}GBx{n}",
    "{s} GB x {n}", "{n}x {s}GB SODIMM",
)  # fmt: skip
FREE = (
    "{f} GB free", "{f} GB", "{f} GB of {d} GB", "{f} of {d} GB free", "{f}/{d} GB",
    "{f} GB frei von {d} GB", "{f} Go libres sur {d}", "C: {f} GB, D: 900 GB", "about {f} GB",
)  # fmt: skip
CORES = (
    "{c}", "{c} cores", "{c}c{t}t", "{c}C/{t}T", "{c} cores, {t} threads", "{c} ({t} threads)",
    "{c} Kerne", "{c} cœurs", "{c} physical", "{p} P-cores and {e} E-cores",
    "{p} performance cores + {e} efficiency cores",
)  # fmt: skip
BITS = ("Windows 7 {b}-bit", "Win 10 {b}", "windows 10 pro {b}", "Windows 8.1 {b} Bit",
        "Win7 Home Premium {b}bit")  # fmt: skip


def _number(count: int, in_words: bool) -> str:
    return NUMBERS.get(count, str(count)) if in_words else str(count)


def _slots(drawn: dict[str, Any]) -> tuple[str, str, dict[str, Any]]:
    total = drawn["slots"]
    used = drawn["used"] % total + 1
    text = SLOTS[drawn["form"] % len(SLOTS)].format(
        n=_number(total, drawn["words"]), u=used, f=_number(total - used, False)
    )
    fitted = [*[Module()] * used, *[Module(size=0)] * (total - used)]
    return "memory.slots", text, {"memory.slots": total, "memory.modules": fitted}


def _modules(drawn: dict[str, Any]) -> tuple[str, str, dict[str, Any]]:
    count, size = (1, 2, 4)[drawn["used"] % 3], drawn["size"]
    text = MODULES[drawn["form"] % len(MODULES)].format(n=count, s=size, all=count * size)
    return "memory.installed", text, {"memory.modules": [size * GIB] * count}


def _free(drawn: dict[str, Any]) -> tuple[str, str, dict[str, Any]]:
    text = FREE[drawn["form"] % len(FREE)].format(f=drawn["free"], d=drawn["drive"])
    return "storage.free", text, {"storage.free": drawn["free"] * GB}


def _cores(drawn: dict[str, Any]) -> tuple[str, str, dict[str, Any]]:
    count = 2 * drawn["slots"]
    text = CORES[drawn["form"] % len(CORES)].format(
        c=count, t=2 * count, p=count // 2, e=count // 2
    )
    return "processor.cores", text, {"processor.cores": count}


def _bits(drawn: dict[str, Any]) -> tuple[str, str, dict[str, Any]]:
    bits = 64 if drawn["words"] else 32
    return "system.os", BITS[drawn["form"] % len(BITS)].format(b=bits), {"system.os_bits": bits}


ASKED: dict[str, Callable[[dict[str, Any]], tuple[str, str, dict[str, Any]]]] = {
    "slots": _slots, "modules": _modules, "free": _free, "cores": _cores, "bits": _bits,
}  # fmt: skip


def _plain(key: str, value: Any, truth: Any) -> Any:
    sizes = key == "memory.modules" and truth and isinstance(truth[0], int)
    return [one.size for one in value] if sizes else value


def _holds(drawn: dict[str, Any]) -> None:
    key, text, truth = ASKED[drawn["asked"]](drawn)
    told = {one.key: one.value for one in read_said(key, text, VOCABULARY)}
    for name, value in truth.items():
        assert name in told, f"{text}: {told}"
        assert _plain(name, told[name], value) == value, f"{text}: {name} {told[name]}"


ANSWERS = Law(
    "answers",
    "A phrase that answers a question tells the reading that was asked for.",
    st.fixed_dictionaries(
        {
            "asked": st.sampled_from(sorted(ASKED)),
            "form": st.integers(0, 29),
            "slots": st.sampled_from([2, 4, 6, 8]),
            "used": st.integers(0, 7),
            "size": st.sampled_from([2, 4, 8, 16, 32]),
            "free": st.integers(5, 110),
            "drive": st.sampled_from([118, 237, 476, 931]),
            "words": st.booleans(),
        }
    ),
    _holds,
)
