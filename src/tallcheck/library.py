"""What `import tallcheck` offers: machines and needs in, decisions, plans and tables out.

No function here keeps anything between two calls, writes a file, or looks at the clock but to learn
the day for which support is judged.
"""

import datetime
import os
from typing import TYPE_CHECKING, Any

from msgspec import structs

from tallcheck.core.decide.asked import Chosen
from tallcheck.core.jobs.check import Check, Task, newest_first, picked
from tallcheck.core.jobs.check import check as check_task
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import CAPTURE_ENDINGS, Machine
from tallcheck.core.needs.sheet import NeedsSheet
from tallcheck.files.config import find_needs
from tallcheck.files.inputs import is_archive, read, shown
from tallcheck.files.sheets import machine_from
from tallcheck.files.sheets import read_needs as read_sheet
from tallcheck.files.vocabulary import vocabulary

if TYPE_CHECKING:
    import pyarrow as pa

    from tallcheck.core.board.models import PartsList
    from tallcheck.core.upgrade.plan import Upgrade

MINIMUM = "minimum"


def read_machine(path: str | os.PathLike[str]) -> Machine:
    """A machine from a sheet, or from a capture (a folder, a tar or a zip). Raises InputError."""
    place = os.fspath(path)
    if os.path.isdir(place) or place.lower().endswith(CAPTURE_ENDINGS):
        from tallcheck.gather import gather_from

        return gather_from(place, vocabulary())
    data = read(place)
    if is_archive(data):
        from tallcheck.gather import gather_archive

        return gather_archive(data, place, vocabulary())
    return machine_from(data, shown(place))


def read_needs(name: str | os.PathLike[str]) -> NeedsSheet:
    """A needs sheet from a file, or by its name on the needs path; ``@RELEASE`` picks a release.

    Its releases are the newest first, or the one that was picked. Raises InputError.
    """
    path, release, _ = find_needs(os.fspath(name), [])
    sheet = read_sheet(path, vocabulary())
    return structs.replace(sheet, releases=tuple(picked(sheet, release)))


def check(
    machine: Machine, *needs: NeedsSheet, level: str = MINIMUM, on: datetime.date | None = None
) -> Check:
    """A machine held against the newest release of each needs sheet.

    ``level`` is ``floor``, ``minimum`` or ``recommended``; ``on`` the day for which support is
    judged, today if none. The answer is ``verdict.decision.answer``. Raises InputError where a
    release states nothing at the level.
    """
    return check_task(
        machine, Task(_chosen(needs), level, on=on or datetime.date.today()), vocabulary()
    )


def plan_upgrade(
    machine: Machine, total: int | None, parts: "PartsList | None" = None
) -> "Upgrade":
    """How to bring a machine to ``total`` bytes of memory, or (None) to the most that it takes."""
    from tallcheck.core.upgrade.plan import plan_upgrade as plan

    return plan(normalized(machine, vocabulary()).machine, total, vocabulary(), parts)


def judge_table(
    machines: Any, *needs: NeedsSheet, level: str = MINIMUM, on: datetime.date | None = None
) -> "pa.Table":
    """A table of machines with the columns of a fleet's result beside its own (docs/fleet.md).

    ``machines`` is an Arrow table, a record batch, or anything with Arrow's C stream interface,
    with a column ``name`` and columns named by dotted keys, short names or the trade's headings.
    Rows keep their number and order: one that has no name gets an answer of none. The columns that
    come out depend on the table's columns and the needs alone, so that a distributed engine may map
    this over parts of a table. Raises InputError for columns that cannot be told apart.
    """
    import numpy as np
    import pyarrow as pa

    from tallcheck.core.fleet.known import find_doubts
    from tallcheck.core.jobs.fleet_check import FleetTask, check_fleet
    from tallcheck.files.fleet_table import Rows, from_table
    from tallcheck.report.fleet_result import with_result

    table = pa.table(machines)
    file = from_table(table, Rows(), {}, "the table", True, vocabulary())
    file.fleet.doubts = file.fleet.doubts | find_doubts(file.fleet)
    task = FleetTask(_chosen(needs), level, on=on or datetime.date.today())
    found = with_result(check_fleet(file.fleet, task, every=True), file)
    if len(found) == len(table):
        return found
    places = np.full(len(table), -1)
    places[file.fleet.lines - 1] = np.arange(len(found))
    kept = found.take(pa.array(places, mask=places < 0))
    return pa.table({
        name: table[name] if name in table.column_names else kept[name]
        for name in found.column_names
    })  # fmt: skip


def _chosen(needs: tuple[NeedsSheet, ...]) -> tuple[Chosen, ...]:
    """Each sheet at its newest release."""
    return tuple(Chosen(sheet, newest_first(sheet)[0]) for sheet in needs)
