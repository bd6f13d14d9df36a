"""The demo's usage logs, drawn by seeded chance: the same on every machine."""

import datetime
import io
from collections.abc import Callable
from typing import Any

import numpy as np

from tallcheck.core.values.quantities import GIB, MIB
from tallcheck.files.usage_writer import COLUMNS

_START = datetime.datetime(2026, 11, 2, tzinfo=datetime.timezone(datetime.timedelta(hours=1)))
_MACHINE = "potting-02"
_TOTAL = int(3.74 * GIB)

Arrays = dict[str, Any]


def _day_shape(hours: Any) -> Any:
    """How much the machine is worked at: 0 at night, 1 from nine to five, less at noon."""
    morning = np.clip((hours - 8.5) * 2, 0, 1)
    evening = np.clip((17.25 - hours) * 2, 0, 1)
    noon = 1 - 0.4 * np.exp(-(((hours - 12.5) / 0.4) ** 2))
    return morning * evening * noon


def _wander(random: Any, count: int, size: float) -> Any:
    """A slow wander around zero: neighbours are alike, as real samples are."""
    noise = random.normal(0, 1, count)
    kernel = np.exp(-np.arange(200) / 40)
    return size * np.convolve(noise, kernel / np.sqrt((kernel**2).sum()), mode="full")[:count]


def _base(seed: int, seconds: float, step: float, busy: float = 1.2) -> tuple[Any, Arrays, Any]:
    random = np.random.default_rng(seed)
    time = np.arange(0, seconds, step)
    work = _day_shape(time / 3600 % 24)
    cores = np.clip(0.03 + work * (busy + _wander(random, len(time), 0.35)), 0.01, 3.9)
    arrays: Arrays = {
        "swap_used": np.zeros(len(time)),
        "swapped_in": np.zeros(len(time)),
        "swapped_out": np.zeros(len(time)),
        "memory_stall": np.zeros(len(time)),
        "cores_busy": cores,
        "busiest_core": np.clip(cores * 0.6, 0, 1),
    }
    return time, arrays, random


def _ordinary(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 86400, 30)
    work = _day_shape(time / 3600 % 24)
    arrays["share"] = 0.28 + 0.28 * work + _wander(random, len(time), 0.03)
    return time, arrays, 30


def _short(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 86400, 30)
    work = _day_shape(time / 3600 % 24)
    arrays["share"] = 0.3 + 0.63 * np.sqrt(work) + _wander(random, len(time), 0.02)
    arrays["memory_stall"] = 0.03 * work * random.random(len(time))
    return time, arrays, 30


def _spike(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, step = _ordinary(seed)
    noon = (time > 12 * 3600) & (time < 12 * 3600 + 300)
    arrays["share"] = np.where(noon, 0.95, arrays["share"])
    return time, arrays, step


def _swapping(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, step = _short(seed)
    random = np.random.default_rng(seed + 1)
    tight = arrays["share"] > 0.84
    arrays["swap_used"] = np.where(tight, 900 * MIB, 60 * MIB) + 40 * MIB * random.random(len(time))
    arrays["swapped_in"] = np.where(tight, 60 * MIB * random.random(len(time)), 0)
    arrays["swapped_out"] = np.where(tight, 50 * MIB * random.random(len(time)), 0)
    arrays["memory_stall"] = np.where(tight, 0.02 + 0.15 * random.random(len(time)), 0)
    return time, arrays, step


def _upgraded(seed: int) -> tuple[Any, Arrays, float]:
    # the days of the swapping log again, with twice the memory
    time, arrays, step = _short(seed)
    wanted = 1.15 * arrays["share"]  # what had been in swap space, too
    arrays |= {"share": wanted / 2, "total": np.full(len(time), 2 * _TOTAL)}
    arrays["memory_stall"] = np.zeros(len(time))
    return time, arrays, step


def _cached(seed: int) -> tuple[Any, Arrays, float]:
    # almost nothing is free, but the cache is given back on demand: available tells
    time, arrays, random = _base(seed, 86400, 30)
    arrays["share"] = 0.33 + 0.1 * _day_shape(time / 3600 % 24) + _wander(random, len(time), 0.01)
    return time, arrays, 30


def _growing(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 8 * 7 * 86400, 300)
    days = time / 86400
    work = _day_shape(time / 3600 % 24) * (days % 7 < 5)
    arrays["cores_busy"] = np.clip(0.03 + 1.1 * work + _wander(random, len(time), 0.1), 0.01, 3.9)
    arrays["share"] = 0.25 + 0.008 * days + 0.2 * work + _wander(random, len(time), 0.015)
    return time, arrays, 300


def _brief(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 600, 5)
    arrays["share"] = 0.55 + _wander(random, len(time), 0.02)
    arrays["cores_busy"] = 0.8 + _wander(random, len(time), 0.1)
    return time + 9.5 * 3600, arrays, 5


LOGS: dict[str, tuple[Callable[[int], tuple[Any, Arrays, float]], str]] = {
    "ordinary-day": (_ordinary, "ample"),
    "short-nine-to-five": (_short, "short"),
    "spike-at-noon": (_spike, "ample"),
    "swapping": (_swapping, "short"),
    "after-the-upgrade": (_upgraded, "ample"),
    "full-cache": (_cached, "ample"),
    "eight-weeks-growth": (_growing, "near"),
    "ten-minutes": (_brief, "too brief"),
}
"""Name, how it is drawn, and the finding that it must give."""


def demo_log(name: str) -> bytes:
    """One demo log as CSV."""
    make, _ = LOGS[name]
    time, arrays, _ = make(20261102 + len(name))
    share = np.clip(arrays["share"], 0.05, 0.98)
    total = arrays.get("total", np.full(len(share), _TOTAL))
    available = (total * (1 - share)).astype(np.int64)
    out = io.StringIO()
    out.write(f"# machine: {_MACHINE}; made up\n{','.join(COLUMNS)}\n")
    start = _START.timestamp()
    for at, left in enumerate(available):
        moment = datetime.datetime.fromtimestamp(start + float(time[at]), _START.tzinfo)
        cells = [moment.isoformat(timespec="seconds"), str(int(total[at])), str(left), str(4 * GIB)]
        cells += [str(int(arrays[key][at])) for key in ("swap_used", "swapped_in", "swapped_out")]
        cells += [
            f"{arrays[key][at]:.4f}" for key in ("memory_stall", "cores_busy", "busiest_core")
        ]
        out.write(",".join([*cells, "4"]) + "\n")
    return out.getvalue().encode()
