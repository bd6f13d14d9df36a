"""What a models list adds to the machines of a fleet: ``upgrade.models`` on columns."""

from collections import Counter

import numpy as np
from msgspec import Struct

from tallcheck.core.board.models import (
    NUMBERS,
    Model,
    listed_model,
    modules_with_kind,
    source_text,
    with_model,
)
from tallcheck.core.fleet.columns import Fleet, Words
from tallcheck.core.fleet.known import LISTED_BITS
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.telling import tell_all


class Matched(Struct, frozen=True):
    """How many machines are on a models list, and why the others are not."""

    count: int
    unnamed: int
    """Machines without a model."""
    others: tuple[str, ...]
    """Makes and models that are not on the list, the most frequent first."""


_System = tuple[str | None, str | None]  # maker and model, as told


def with_models(fleet: Fleet, models: dict[tuple[str, str], Model]) -> Matched:
    """Fill the fleet's gaps from a models list, in place."""
    if fleet.sheets is not None:
        counts = Counter((one.system.maker, one.system.model) for one in fleet.sheets)
        fleet.sheets = [with_model(sheet, models) for sheet in fleet.sheets]
    else:
        listed, counts = _listed(fleet, models)
        if listed.values:
            _fill(fleet, listed)
    left = {one: n for one, n in counts.most_common() if listed_model(models, *one) is None}
    unnamed = sum(n for (_, model), n in left.items() if not model)
    others = [" ".join(filter(None, one)) for one in left if one[1]]
    return Matched(len(fleet) - sum(left.values()), unnamed, tuple(others))


def _fill(fleet: Fleet, listed: Words) -> None:
    sources = [source_text(one) for one in listed.values]
    for key, name in NUMBERS.items():
        values = listed.mapped(lambda one, name=name: float(getattr(one, name) or np.nan))  # type: ignore[misc]
        have = fleet.number(key)
        gap = np.isnan(have) & ~np.isnan(values)
        if gap.any():
            fleet.numbers[key] = np.where(gap, values, have)
            fleet.origins[key] = Words(np.where(gap, listed.codes, -1).astype(np.int32), sources)
        odd = ~np.isnan(have) & ~np.isnan(values) & (have != values)
        if odd.any():
            distinct, codes = np.unique(np.where(odd, values, -1), return_inverse=True)
            at = np.where(odd, codes.reshape(-1), -1).astype(np.int32)
            fleet.listed[key] = Words(at, distinct.tolist())
            fleet.doubts = fleet.doubts | odd.astype(np.uint32) << np.uint32(LISTED_BITS[key])
    _with_kind(fleet, listed)


def _listed(fleet: Fleet, models: dict[tuple[str, str], Model]) -> tuple[Words, Counter[_System]]:
    """The entry of each machine's make and model, and how many machines have each of these."""
    makers, names = fleet.word("system.maker"), fleet.word("system.model")
    pairs = (makers.codes.astype(np.int64) + 1) * (len(names.values) + 1) + names.codes + 1
    distinct, inverse, many = np.unique(pairs, return_inverse=True, return_counts=True)
    entries: list[Model] = []
    counts: Counter[_System] = Counter()
    codes = np.full(len(distinct), -1, dtype=np.int32)
    for at, pair in enumerate(distinct.tolist()):
        maker, model = divmod(pair, len(names.values) + 1)
        system = (
            makers.values[maker - 1] if maker else None, names.values[model - 1] if model else None
        )  # fmt: skip
        counts[system] += int(many[at])
        found = listed_model(models, *system)
        if found is not None:
            codes[at] = len(entries)
            entries.append(found)
    return Words(codes[inverse.reshape(-1)], entries), counts


def _with_kind(fleet: Fleet, listed: Words) -> None:
    """Type and form: into the modules that lack them, or beside them where none are listed."""
    modules = fleet.word("memory.modules")
    bare = modules.codes < 0
    for key, name in (("extra.memory_type", "type"), ("extra.memory_form", "form")):
        kinds = [getattr(one, name) for one in listed.values]
        distinct = sorted({kind for kind in kinds if kind is not None})
        table = [distinct.index(kind) if kind is not None else -1 for kind in kinds]
        codes = np.array([*table, -1], dtype=np.int32)[listed.codes]
        if (bare & (codes >= 0)).any():
            fleet.words[key] = Words(np.where(bare, codes, -1).astype(np.int32), list(distinct))
    if not modules.values:
        return
    both = (modules.codes >= 0) & (listed.codes >= 0)
    pairs = modules.codes[both].astype(np.int64) * len(listed.values) + listed.codes[both]
    table_of = np.zeros(len(modules.values) * len(listed.values), dtype=np.int32)
    values = list(modules.values)
    seen: dict[tuple[int, str | None, str | None], int] = {}
    for pair in np.flatnonzero(np.bincount(pairs, minlength=len(table_of))).tolist():
        which, at = divmod(pair, len(listed.values))
        model = listed.values[at]
        # models of one kind make the same of the same modules
        kind = (which, model.type, model.form)
        if kind not in seen:
            seen[kind] = len(values)
            values.append(modules_with_kind(modules.values[which], model)[0])
        table_of[pair] = seen[kind]
    codes = modules.codes.copy()
    codes[both] = table_of[pairs]
    fleet.words["memory.modules"] = Words(codes, values)


def with_told(fleet: Fleet, told: list[Told], source: str) -> Fleet:
    """The fleet as sheets on each of which the same was told, as it is for one machine."""
    sheets = [
        tell_all(fleet.machine(at), told, fleet.vocabulary, source) for at in range(len(fleet))
    ]
    doubts = np.zeros(len(fleet), dtype=np.uint32)
    return Fleet(fleet.names, fleet.lines, {}, {}, doubts, fleet.vocabulary, sheets)
