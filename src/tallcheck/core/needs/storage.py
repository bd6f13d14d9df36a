"""Storage: the system's drive, what is free on it, volumes for data, the kind of drive."""

from typing import Any

from tallcheck.core.needs.key import Evaluation, Key, View
from tallcheck.core.needs.numbers import evaluate_number, plain, plain_choices
from tallcheck.core.needs.tests import evaluate_word, word_choices
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound


def _storage_fix(view: View, value: Any) -> str:
    return "storage"


def _evaluate_drive(bound: Bound, view: View) -> Evaluation:
    drive, volume = view["storage.drive"], view["storage.size"]
    if drive is not None:
        return evaluate_number(bound, drive, "storage.drive")
    if volume is not None:
        return evaluate_number(bound, volume, "storage.size", worked_out=("storage.size",))
    return Evaluation("unknown", None, None, "storage.drive", ("storage.drive",))


STORAGE = Key(
    "storage", "storage", AT_LEAST, "storage.drive",
    frozenset({"storage.drive", "storage.size"}), _evaluate_drive,
    plain_choices("storage.drive", _storage_fix), "storage",
    "The whole drive that holds the system; its volume stands in where the drive is not known.",
    '"64 GB"', "the whole drive", steady=True,
)  # fmt: skip
STORAGE_FREE = Key(
    "storage_free", "storage", AT_LEAST, "storage.free", frozenset({"storage.free"}),
    plain("storage.free"), plain_choices("storage.free", _storage_fix), "free storage",
    "Free room on the volume that holds the system.", '"20 GB"', "on the system volume",
    steady=True,
)  # fmt: skip
STORAGE_DATA = Key(
    "storage_data", "storage", AT_LEAST, "storage.data", frozenset({"storage.data"}),
    plain("storage.data"), plain_choices("storage.data", _storage_fix), "storage for data",
    "The largest volume that is not on an external drive.", '"500 GB"', "any built-in volume",
    steady=True,
)  # fmt: skip


STORAGE_KIND = Key(
    "storage_kind", "words", EXACTLY, "storage.kind", frozenset({"storage.kind"}),
    evaluate_word("storage.kind"), word_choices("storage.kind", "storage"), "the kind of drive",
    "What kind of drive holds the system: solid or spinning.", '"solid"', steady=True,
)  # fmt: skip
