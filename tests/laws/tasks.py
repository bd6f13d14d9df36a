"""What the laws hold machines against, made once."""

import datetime
import functools
import importlib.util
from pathlib import Path
from typing import Any

from tallcheck.cli.inputs import needs_of
from tallcheck.core.decide.asked import Asked, Chosen
from tallcheck.core.decide.decision import decide
from tallcheck.core.jobs.check import Task, check
from tallcheck.core.jobs.fleet_check import FleetTask
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import NeedsSheet
from tallcheck.files.sheets import machine_from
from tests.helpers import VOCABULARY, demo_machine


def _doors() -> Any:
    """The module of the fuzzer's doors, which is no package."""
    path = Path(__file__).parents[2] / "fuzz" / "doors.py"
    spec = importlib.util.spec_from_file_location("doors", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


DOORS: Any = _doors()
DAY = datetime.date(2026, 11, 24)


@functools.cache
def _machines() -> list[Machine]:
    names = ("potting-02", "ticket-desk-04")
    return [machine_from(Path(demo_machine(name)).read_bytes(), name) for name in names]


def evaluated(told: str) -> None:
    """A need as it is typed, held against machines. Raises InputError."""
    need = needs_of(told)
    for machine in (*_machines(), Machine("machine/1", "bench")):
        decide(normalized(machine, VOCABULARY), [Asked(need, "--need", "minimum")])


def held_sheet(sheet: NeedsSheet) -> None:
    """A needs sheet held against machines."""
    for machine in _machines():
        check(machine, Task((Chosen(sheet, sheet.releases[0]),), on=DAY), VOCABULARY)


@functools.cache
def fleet_task() -> FleetTask:
    """What lists of machines are held against: a bit of everything."""
    from tallcheck.core.fleet.money import Prices

    told = ("memory=8GB", "cores=4", "clock=1.6GHz", "os=Merrow >= 9", "storage_free=20GB",
            "instructions=AVX2", "security_module=2.0")  # fmt: skip
    return FleetTask(
        (), "minimum", tuple(map(needs_of, told)), lambda machine: (), None,
        Prices({}, None, {}, ""), None, DAY, (),
    )  # fmt: skip
