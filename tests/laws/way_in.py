"""Wrong values for every key through every door: an InputError, or a sheet that reads back."""

import io
import json
import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import msgspec
import msgspec.inspect
from hypothesis import strategies as st

from tallcheck.core.machine.normalized import with_findings
from tallcheck.core.machine.readings import keys
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.needs.keys import KEYS as NEED_KEYS
from tallcheck.core.text.needs_sheet import SheetTable, from_table
from tallcheck.core.text.pasted import read_lines
from tallcheck.core.text.said import parse_told
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import checked
from tallcheck.files.sheets import machine_from, machine_from_table, machine_json, needs_from
from tallcheck.report.plain import Page, as_text
from tallcheck.report.show_view import sheet_lines
from tests.helpers import VOCABULARY
from tests.laws.law import Law

_SCRATCH = tempfile.TemporaryDirectory(prefix="tallcheck-laws-")

WRONG: dict[str, Any] = {
    "nothing": "",
    "blank": " ",
    "dash": "-",
    "question": "?",
    "zero": 0,
    "zero text": "0",
    "minus": -1,
    "minus text": "-1",
    "two minus": "--5",
    "infinite": float("inf"),
    "infinite text": "inf",
    "no number": float("nan"),
    "nan": "nan",
    "absurd": 1e308,
    "5,000 digits": 10**4999,
    "5,000 digits text": "9" * 5000,
    "400 digits": "1" * 400,
    "64 bits": 1 << 63,
    "65 bits": 1 << 64,
    "minus 64 bits": -(1 << 63),
    "minus 65": -(1 << 64),
    "32 bits": 1 << 32,
    "half": 1.5,
    "yes": True,
    "null": None,
    "list": [],
    "table": {},
    "lists": [[[]]],
    "tables": {"a": {"b": {}}},
    "list of numbers": [1, 2],
    "zero byte": "\0",
    "half a character": "\ud800",
    "half behind": "8 GB\udfff",
    "turned": "\u202e8 GB",
    "face": "\U0001f600",
    "long": "a" * 70_000,
    "blanks": "8" + " " * 10_000 + "x",
    "lines": "\n" * 1000,
    "arabic": "\u0661\u0662",
    "square": "\u00b2",
    "part": "\u00bd",
    "underscore": "1_000",
    "hex": "0x10",
    "size": "8 GB",
    "sizes": "8 GB GB",
    "formula": "=1+1",
    "markup": "<b>|`x`",
    "format": "{0}%s%n",
    "path": "../../x",
    "date": "2026-13-45",
    "last day": "9999-12-31",
    "first day": "0001-01-01",
    "architecture": "x86-46",
    "comma": ",",
    "commas": "," * 300,
    "brackets": "((((((((",
    "quote": '"',
    "percent": "150 %",
    "many": "1000000 x 8 GB",
    "times": "9999x9999",
    "version": "1." * 90 + "1",
    "below": "..",
    "bound": ">=",
    "range": "9..1",
    "not": "not ",
    "escape": "\x1b[31m",
    "marks": "\u00ae" * 50,
    "tab": "\t",
}
"""Values that a key does not expect, by a name that a line can repeat."""


def _sheet(key: str, value: Any) -> dict[str, Any]:
    """A machine sheet with one value at a dotted key."""
    section, _, name = key.partition(".")
    raw: dict[str, Any] = {"tallcheck": "machine/1", "name": "bench"}
    if section == "storage":
        raw["storage"] = [{"system": True, name: value}]
    elif key == "graphics.memory":
        raw["graphics"] = [{"memory": value}]
    elif name:
        raw[section] = {name: value}
    else:
        raw[section] = value
    return raw


def _json(key: str, value: Any) -> Machine | None:
    text = json.dumps(_sheet(key, value)) if not _big(value) else _with_digits(key, value)
    return machine_from(text.encode("utf-8", "surrogatepass"), "x")


def _big(value: Any) -> bool:
    return isinstance(value, int) and abs(value) > 1 << 80


def _with_digits(key: str, value: Any) -> str:
    return json.dumps(_sheet(key, "@")).replace('"@"', "9" * 5000)


def text_of(value: Any) -> str:
    """A value as somebody would type it."""
    return "9" * 5000 if _big(value) else str(value)


def _have(key: str, value: Any) -> Machine | None:
    told = parse_told(f"{key}={text_of(value)}", VOCABULARY)
    return tell_all(Machine("machine/1", "bench"), told, VOCABULARY, "--have")


def _pasted(key: str, value: Any) -> Machine | None:
    told, _ = read_lines(
        f"{key.rpartition('.')[2].replace('_', ' ')}: {text_of(value)}", VOCABULARY
    )
    return tell_all(Machine("machine/1", "bench"), told, VOCABULARY, "pasted")


def _fleet(path: str) -> None:
    from tallcheck.core.fleet.known import find_doubts
    from tallcheck.core.jobs.fleet_check import check_fleet
    from tallcheck.files.fleet_file import read_fleet
    from tallcheck.report.fleet_result import result_bytes
    from tests.laws.tasks import fleet_task

    file = read_fleet(path, {}, True, VOCABULARY)
    if not len(file.fleet):
        return
    if file.fleet.sheets is None:
        file.fleet.doubts = file.fleet.doubts | find_doubts(file.fleet)
    found = check_fleet(file.fleet, fleet_task(), lambda text: None, True)
    for ending in (".csv", ".jsonl"):
        result_bytes(found, file, ending)


def _place(ending: str) -> str:
    return os.path.join(_SCRATCH.name, f"list{ending}")


def _csv(key: str, value: Any) -> None:
    import csv

    with open(_place(".csv"), "w", encoding="utf-8", errors="surrogatepass", newline="") as file:
        csv.writer(file).writerows([["name", key], ["a", text_of(value)], ["b", "8 GB"]])
    _fleet(_place(".csv"))


def _lines(key: str, value: Any) -> None:
    line = (
        json.dumps({"name": "a", key: "@"}).replace('"@"', "9" * 5000)
        if _big(value)
        else (json.dumps({"name": "a", key: value}))
    )
    with open(_place(".jsonl"), "w", encoding="utf-8", errors="surrogatepass") as file:
        file.write(f'{line}\n{{"name": "b", "{key}": 4}}\n')
    _fleet(_place(".jsonl"))


def _parquet(key: str, value: Any) -> None:
    import pyarrow as pa
    from pyarrow import parquet

    try:
        table = pa.table({"name": ["a", "b"], key: [value, None]})
        parquet.write_table(table, _place(".parquet"))
    except (pa.ArrowException, OverflowError, ValueError, UnicodeError, TypeError):
        return  # no such file can be
    _fleet(_place(".parquet"))


def _workbook(key: str, value: Any) -> None:
    import xlsxwriter

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True, "nan_inf_to_errors": True}) as book:
        sheet = book.add_worksheet()
        sheet.write_row(0, 0, ["name", key])
        sheet.write_string(1, 0, "a")
        if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e300:
            sheet.write_number(1, 1, value)
        else:
            sheet.write_string(1, 1, text_of(value).encode(errors="replace").decode()[:32_000])
    with open(_place(".xlsx"), "wb") as file:
        file.write(out.getvalue())
    _fleet(_place(".xlsx"))


def _need(key: str, value: Any) -> None:
    from tests.laws.tasks import evaluated

    evaluated(f"{key}={text_of(value)}")


def _toml(key: str, value: Any) -> None:
    from tests.laws.tasks import held_sheet

    plain = json.dumps(value) if not _big(value) else "9" * 5000
    plain = {"null": '"null"', "Infinity": "inf", "NaN": "nan"}.get(plain, plain)
    if isinstance(value, dict):
        plain = "{" + ", ".join(f"{name} = {json.dumps(one)}" for name, one in value.items()) + "}"
    data = (
        f'tallcheck = "needs/1"\ntitle = "T"\nkind = "program"\n[minimum]\n{key} = {plain}\n'
        f"[[minimum.also]]\nwhen = {{{key} = {plain}}}\ncores = 2\n"
    ).encode()
    held_sheet(needs_from(data, "x.needs.toml", VOCABULARY))


Door = Callable[[str, Any], Machine | None]
OF_MACHINES: dict[str, Door] = {
    "json": _json,
    "have": _have,
    "pasted": _pasted,
    "csv": _csv,
    "jsonl": _lines,
    "parquet": _parquet,
    "xlsx": _workbook,
}
OF_NEEDS: dict[str, Door] = {"need": _need, "toml": _toml}


def reads_back(machine: Machine) -> None:
    found = with_findings(machine, VOCABULARY)
    data = machine_json(found)
    assert machine_from(data, "x") == found
    as_text(sheet_lines(found, Page(80, True)))


def through(door: str, key: str, value: str) -> None:
    """One value for one key through one door; anything but InputError comes out."""
    with suppress(InputError):
        machine = (OF_MACHINES | OF_NEEDS)[door](key, WRONG[value])
        if machine is not None:
            reads_back(machine)


_OF_MACHINES = st.fixed_dictionaries(
    {
        "door": st.sampled_from(sorted(OF_MACHINES)),
        "key": st.sampled_from(sorted(keys())),
        "value": st.sampled_from(sorted(WRONG)),
    }
)
_OF_NEEDS = st.fixed_dictionaries(
    {
        "door": st.sampled_from(sorted(OF_NEEDS)),
        "key": st.sampled_from(sorted(NEED_KEYS)),
        "value": st.sampled_from(sorted(WRONG)),
    }
)
KEYS = Law(
    "keys",
    "A wrong value for any key, through any door, is an input error or a sheet that reads back.",
    _OF_MACHINES | _OF_NEEDS,
    lambda drawn: through(**drawn),
)


def _places(kind: Any) -> st.SearchStrategy[list[str | int]]:
    """The way to some place of a table's type: keys, positions, and entries of maps."""
    if isinstance(kind, msgspec.inspect.Metadata):
        return _places(kind.type)
    if isinstance(kind, msgspec.inspect.UnionType):
        return st.one_of(*(_places(one) for one in kind.types))
    if isinstance(kind, msgspec.inspect.StructType):
        inside = [_below(st.just(field.encode_name), field.type) for field in kind.fields]
    elif isinstance(kind, msgspec.inspect.ListType):
        inside = [_below(st.integers(0, 1), kind.item_type)]
    elif isinstance(kind, msgspec.inspect.DictType):
        names = ("memory.installed", "L2", "how.how", "a[0]", "", "...", "[...]", "]", "\ufffd")
        inside = [_below(st.sampled_from(names), kind.value_type)]
    else:
        return st.just([])
    return st.one_of(st.just([]), *inside)


def _below(step: st.SearchStrategy[Any], kind: Any) -> st.SearchStrategy[list[str | int]]:
    return st.tuples(step, st.deferred(lambda: _places(kind))).map(lambda way: [way[0], *way[1]])


def _needs_table(raw: Any) -> Any:
    return from_table(raw, VOCABULARY)


_TABLES: dict[str, tuple[type, dict[str, Any], Callable[[Any], Any]]] = {
    "machine": (Machine, {"tallcheck": "machine/1", "name": "bench"}, machine_from_table),
    "needs": (SheetTable, {"tallcheck": "needs/1", "title": "T", "kind": "program"}, _needs_table),
}


def _set(raw: Any, way: list[str | int], value: Any) -> Any:
    """Plain values with another one at a place, which is made."""
    if not way:
        return value
    step, *rest = way
    if isinstance(step, int):
        return [{}] * step + [_set({}, rest, value)]
    return raw | {step: _set(raw.get(step, {}), rest, value)}


def _at_place(drawn: dict[str, Any]) -> None:
    _, raw, read = _TABLES[drawn["table"]]
    way = [drawn["table"], *drawn["way"]]
    with suppress(InputError):
        found = read(checked(_set({way[0]: raw}, way, WRONG[drawn["value"]])[way[0]]))
        if isinstance(found, Machine):
            reads_back(found)


PLACES = Law(
    "places",
    "A wrong value at any place of a sheet is an input error or a sheet that reads back.",
    st.one_of(
        *(
            st.fixed_dictionaries(
                {
                    "table": st.just(name),
                    "way": _places(msgspec.inspect.type_info(table)),
                    "value": st.sampled_from(sorted(WRONG)),
                }
            )
            for name, (table, _, _) in _TABLES.items()
        )
    ),
    _at_place,
)


def _plain(drawn: Any) -> None:
    value = _grown(drawn)
    try:
        found = checked(value)
    except InputError:
        return
    assert found is value
    text = msgspec.json.encode(found)
    assert checked(json.loads(text)) is not None or json.loads(text) is None


def _grown(drawn: Any) -> Any:
    """What was drawn, with the names of wrong values in place of texts that are one."""
    if isinstance(drawn, list):
        return [_grown(one) for one in drawn]
    if isinstance(drawn, dict):
        return {name: _grown(one) for name, one in drawn.items()}
    return WRONG.get(drawn, drawn) if isinstance(drawn, str) else drawn


PLAIN = Law(
    "plain values",
    "What the way in lets through is text, numbers, lists and tables that can be written again.",
    st.recursive(
        st.sampled_from(sorted(WRONG)) | st.integers(-9, 9) | st.none(),
        lambda inner: (
            st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=3), inner, max_size=4)
        ),
        max_leaves=12,
    ),
    _plain,
)


def _file(drawn: dict[str, Any]) -> None:
    from tests.laws.tasks import DOORS

    data = DOORS.seeds(drawn["door"]) or [b""]
    whole = data[drawn["seed"] % len(data)]
    for number in drawn["changes"]:
        whole = DOORS.mutated(whole, 1 << 16, number)
    DOORS.through(drawn["door"], whole)


def _doors() -> list[str]:
    from tests.laws.tasks import DOORS

    return sorted(DOORS.DOORS)


FILES = Law(
    "files",
    "A sound file with pieces put in or taken out, through any door, is an input error or read.",
    st.deferred(
        lambda: st.fixed_dictionaries(
            {
                "door": st.sampled_from(_doors()),
                "seed": st.integers(0, 40),
                "changes": st.lists(st.integers(0, 1 << 20), max_size=4),
            }
        )
    ),
    _file,
)
