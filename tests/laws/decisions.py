"""What holds of any decision: more is no worse, no false conflict, and what is told is true."""

from typing import Any

from hypothesis import strategies as st

from tallcheck.core.decide.asked import Asked, Chosen, asked_at
from tallcheck.core.decide.decision import Decision, decide
from tallcheck.core.machine.derive import BITS_OF
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import Told, get
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.text.needs_written import parse_test
from tallcheck.files.sheets import machine_from_table
from tests.helpers import VOCABULARY
from tests.laws.law import Law
from tests.random_cases import random_matter

GIB, GB = 1 << 30, 10**9
_RANKS = ("ready", "setting", "memory-alone", "memory-plus", "not-memory", "replace")


def _machine(drawn: dict[str, Any], total: float) -> Machine:
    """A machine with so many GiB, of which the same is kept from use whatever the total."""
    reach = min(total, 4) if drawn["os_bits"] == 32 else total
    memory: dict[str, Any] = {"installed": int(total * GIB)}
    if drawn["usable"]:
        memory["usable"] = int((reach - min(drawn["kept"], 0.75 * drawn["total"])) * GIB)
    for key in ("slots", "ceiling", "position_most"):
        if drawn[key] is not None:
            memory[key] = drawn[key] if key == "slots" else drawn[key] * GIB
    processor = {"bits": drawn["bits"], "cores": drawn["cores"],
                 "architecture": drawn["architecture"]}  # fmt: skip
    system = {"os_bits": drawn["os_bits"], "shape": drawn["shape"], "virtual": drawn["virtual"],
              "architecture": drawn["architecture"] if drawn["told"] else None}  # fmt: skip
    volume = {"mount": "/", "system": True, "drive": 512 * GB, "size": 500 * GB, "free": 200 * GB}
    return machine_from_table({
        "tallcheck": "machine/1", "name": "bench", "memory": memory, "storage": [volume],
        "processor": {key: one for key, one in processor.items() if one is not None},
        "system": {key: one for key, one in system.items() if one is not None},
    })  # fmt: skip


def _decided(machine: Machine, needs: dict[str, str]) -> Decision:
    asked = [
        Asked(Need(key, parse_test(key, value, VOCABULARY)), "--need", "minimum")
        for key, value in needs.items()
    ]
    return decide(normalized(machine, VOCABULARY), asked).decision


def _consistent(drawn: dict[str, Any]) -> bool:
    bits = BITS_OF.get(drawn["architecture"])
    own = drawn["bits"] if drawn["bits"] is not None else bits
    if bits is not None and drawn["bits"] not in (None, bits):
        return False
    return drawn["os_bits"] is None or own is None or drawn["os_bits"] <= own


def _more(drawn: dict[str, Any]) -> None:
    if not _consistent(drawn):
        return
    need = {"memory": f"{drawn['need']} GB"}
    less = _decided(_machine(drawn, drawn["total"]), need)
    more = _decided(_machine(drawn, drawn["total"] * 2), need)
    assert not less.conflicts, less
    assert not more.conflicts, more
    if "undecided" not in (less.answer, more.answer):
        done = {one.kind for one in more.fixes} <= {one.kind for one in less.fixes}
        assert done or _rank(more) <= _rank(less), (less, more)


def _rank(decision: Decision) -> int:
    """How much is to be done: a setting alone is less than a module."""
    alone = decision.answer == "not-memory" and {one.kind for one in decision.fixes} == {"setting"}
    return _RANKS.index("setting" if alone else decision.answer)


def _another(drawn: dict[str, Any]) -> None:
    """Hardware that some machine has: there is always another machine, whatever this one is."""
    if not _consistent(drawn):
        return
    asked = {"memory": f"{drawn['need']} GB", "cores": "24", "storage": "4 TB"}
    assert not _decided(_machine(drawn, drawn["total"]), asked).conflicts


_TOLD: dict[str, Any] = {
    "memory.installed": [2, 4, 8, 20], "memory.usable": [1.9, 3.3, 7.8, 15.5],
    "storage.free": [100, 700], "storage.drive": [256, 1000, 2000],
}  # fmt: skip


def _told(drawn: dict[str, Any]) -> None:
    machine = _machine(drawn, drawn["total"])
    told = [
        Told(key, int(_TOLD[key][at % len(_TOLD[key])] * (GIB if key[0] == "m" else GB)))
        for key, at in drawn["have"].items()
    ]
    there = tell_all(machine, told, VOCABULARY, "--have")
    assert there == tell_all(machine, told[::-1], VOCABULARY, "--have"), "the order matters"
    found = normalized(there, VOCABULARY)
    if drawn["virtual"] or {"memory.installed", "memory.usable"} <= drawn["have"].keys():
        return  # two figures of one memory may well contradict each other
    for one in told:
        if {"storage.free", "storage.drive"} <= drawn["have"].keys() and one.key[0] == "s":
            continue
        assert get(found.machine, one.key) == one.value, one


_DRAWN = {
    "total": st.sampled_from([1, 2, 3, 4, 6, 8, 16]),
    "kept": st.sampled_from([0, 0.1, 0.7, 1.5]),
    "usable": st.booleans(),
    "slots": st.sampled_from([None, 1, 2, 4]),
    "ceiling": st.sampled_from([None, None, 32, 64]),
    "position_most": st.sampled_from([None, None, 16, 32]),
    "bits": st.sampled_from([None, 32, 64]),
    "os_bits": st.sampled_from([None, 32, 64]),
    "architecture": st.sampled_from([None, "x86-64", "x86", "arm64", "arm", "riscv64", "ppc64le"]),
    "told": st.booleans(),
    "cores": st.sampled_from([None, 2, 4]),
    "shape": st.sampled_from([None, "notebook", "tower"]),
    "virtual": st.sampled_from([False, False, None, True]),
    "need": st.sampled_from([1, 2, 3, 4, 5, 8, 12, 16, 64]),
}


def _fewer(drawn: dict[str, Any]) -> None:
    there, asked, sheets = random_matter(drawn["seed"])
    machine = normalized(there, VOCABULARY)
    whole = decide(machine, asked, sheets).decision
    if len(asked) < 2 or whole.answer == "undecided" or whole.conflicts or whole.wide:
        return
    at = drawn["at"] % len(asked)
    less = decide(machine, asked[:at] + asked[at + 1 :], sheets).decision
    assert not less.conflicts
    worst = max(map(_RANKS.index, less.possible))
    # where memory is no more asked for, what is left may need no memory
    other = whole.answer == "memory-plus" and worst == _RANKS.index("not-memory")
    assert other or worst <= _RANKS.index(whole.answer), (whole.answer, less.possible)


def _enough(drawn: dict[str, Any]) -> None:
    if not _consistent(drawn):
        return
    ways = [{"memory": f"{one} GB"} for one in drawn["memory"]] + [drawn["beside"]]
    minimum = {"memory": f"{drawn['need']} GB", "any": ways}
    table = {"tallcheck": "needs/1", "title": "x", "kind": "program", "minimum": minimum}
    sheet = from_table(table, VOCABULARY)
    against = (Chosen(sheet, sheet.releases[0]),)
    asked, machine = asked_at(against, "minimum") or [], _machine(drawn, drawn["total"])
    decision = decide(normalized(machine, VOCABULARY), asked, against).decision
    if decision.answer != "memory-alone" or decision.target_memory is None:
        return
    told = tell_all(
        machine, [Told("memory.installed", decision.target_memory)], VOCABULARY, "--have"
    )
    after = decide(normalized(told, VOCABULARY), asked, against).decision
    assert not {"memory-alone", "memory-plus"} & {*after.possible}, (decision, after)


MORE = Law(
    "more memory",
    "More memory never makes an answer worse, and memory alone is never a conflict.",
    st.fixed_dictionaries(_DRAWN),
    _more,
)
FEWER = Law(
    "fewer needs",
    "A need less never makes an answer worse, nor a conflict.",
    st.fixed_dictionaries({"seed": st.integers(0, 1 << 20), "at": st.integers(0, 7)}),
    _fewer,
)
ENOUGH = Law(
    "enough memory",
    "The total that is named is enough, whatever of the rest is not known.",
    st.fixed_dictionaries(
        _DRAWN
        | {
            "memory": st.lists(st.sampled_from([6, 8, 12, 16, 24]), min_size=1, max_size=2),
            "beside": st.sampled_from(
                [{"clock": "3 GHz"}, {"cores": 3}, {"threads": 8, "cores": 2},
                 {"display": "1366x768"}, {"security_module": "2.0"}]
            ),
        }
    ),
    _enough,
)  # fmt: skip
ANOTHER = Law(
    "another machine",
    "What only hardware has to meet is met by another machine, of whatever architecture this is.",
    st.fixed_dictionaries(_DRAWN),
    _another,
)
TOLD = Law(
    "told",
    "What is told holds, in any order, and what contradicts it does not.",
    st.fixed_dictionaries(
        _DRAWN
        | {
            "have": st.dictionaries(
                st.sampled_from(sorted(_TOLD)), st.integers(0, 3), min_size=1, max_size=3
            )
        }
    ),
    _told,
)
