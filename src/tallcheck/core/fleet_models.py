"""What a models list adds to the machines of a fleet: ``core.models`` on columns."""

import numpy as np

from tallcheck.core.fleet import LISTED_BITS, Fleet, Words
from tallcheck.core.models import model_key, modules_with_kind, with_model
from tallcheck.core.parts import Model

_NUMBERS = {
    "memory.ceiling": "ceiling", "memory.slots": "slots", "memory.position_most": "position_most",
}  # fmt: skip


def with_models(fleet: Fleet, models: dict[tuple[str, str], Model]) -> int:
    """Fill the fleet's gaps from a models list, in place; how many machines were on it."""
    if fleet.sheets is not None:
        found = [with_model(sheet, models) for sheet in fleet.sheets]
        changed = sum(one is not other for one, other in zip(found, fleet.sheets, strict=True))
        fleet.sheets = found
        return changed
    listed = _listed(fleet, models)
    if listed is None or not (listed.codes >= 0).any():
        return 0
    sources = [f"models list: {one.source}" if one.source else "models list"
               for one in listed.values]  # fmt: skip
    for key, name in _NUMBERS.items():
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
            fleet.doubts = fleet.doubts | odd.astype(np.uint16) << LISTED_BITS[key]
    _with_kind(fleet, listed)
    return int((listed.codes >= 0).sum())


def _listed(fleet: Fleet, models: dict[tuple[str, str], Model]) -> Words | None:
    """The entry of each machine's make and model."""
    makers, names = fleet.word("system.maker"), fleet.word("system.model")
    if not names.values:
        return None
    pairs = (makers.codes.astype(np.int64) + 1) * (len(names.values) + 1) + names.codes + 1
    distinct, inverse = np.unique(pairs, return_inverse=True)
    entries: list[Model] = []
    codes = np.full(len(distinct), -1, dtype=np.int32)
    for at, pair in enumerate(distinct.tolist()):
        maker, model = divmod(pair, len(names.values) + 1)
        key = model_key(
            makers.values[maker - 1] if maker else None, names.values[model - 1] if model else None
        )
        if model and key in models:
            codes[at] = len(entries)
            entries.append(models[key])
    return Words(codes[inverse.reshape(-1)], entries)


def _with_kind(fleet: Fleet, listed: Words) -> None:
    """Type and form: into the modules that lack them, or beside them where none are listed."""
    modules = fleet.word("memory.modules")
    for key, name in (("extra.memory_type", "type"), ("extra.memory_form", "form")):
        values = [getattr(one, name) for one in listed.values]
        known = np.array([*(value is not None for value in values), False])
        there = known[listed.codes] & (modules.codes < 0)
        if there.any():
            fleet.words[key] = Words(np.where(there, listed.codes, -1).astype(np.int32), values)
    if not modules.values:
        return
    pairs = np.where(
        (modules.codes >= 0) & (listed.codes >= 0),
        modules.codes.astype(np.int64) * len(listed.values) + listed.codes, -1,
    )  # fmt: skip
    distinct = np.unique(pairs[pairs >= 0])
    values = list(modules.values)
    codes = modules.codes.copy()
    for pair in distinct.tolist():
        which, model = divmod(pair, len(listed.values))
        codes[pairs == pair] = len(values)
        filled, _ = modules_with_kind(modules.values[which], listed.values[model])
        values.append(filled)
    fleet.words["memory.modules"] = Words(codes, values)
