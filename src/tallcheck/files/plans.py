"""An upgrade plan as ``upgrade --format json`` writes it, read back."""

import msgspec

from tallcheck.core.jobs.confirm_modules import Planned, PlannedModule
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import json_of
from tallcheck.files.inputs import read, shown

_EXPECTED = "a plan of `tallcheck upgrade --format json`"


class _Raw(msgspec.Struct):
    tallcheck: str
    total: int | None = None
    machine: str | None = None
    remove: list[PlannedModule] = []
    add: list[PlannedModule] = []
    speed: int | None = None


def read_plan(path: str) -> Planned:
    """The plan in a file. Raises InputError that names file, key, and what was expected."""
    decoded = json_of(read(path), _EXPECTED, shown(path))
    try:
        raw = msgspec.convert(decoded, _Raw)
    except msgspec.ValidationError as error:
        raise InputError(f"found {error}", _EXPECTED, shown(path)) from None
    if raw.tallcheck != "plan/1":
        raise InputError(f'found "{raw.tallcheck}"', '"plan/1"', f"{shown(path)}, tallcheck")
    if not raw.add or raw.total is None:
        raise InputError("found a plan that adds nothing", "modules to add", f"{shown(path)}, add")
    return Planned(raw.machine, raw.total, tuple(raw.remove), tuple(raw.add), raw.speed)
