"""What a models list adds to the machines of a fleet: ``upgrade.models`` on columns."""

import numpy as np

from tallcheck.core.fleet.columns import LISTED_BITS, Fleet, Words
from tallcheck.core.upgrade.models import (
    NUMBERS,
    model_key,
    modules_with_kind,
    source_text,
    with_model,
)
from tallcheck.core.upgrade.parts import Model


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
