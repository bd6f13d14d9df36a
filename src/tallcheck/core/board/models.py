"""What a models list adds to a machine sheet, and what it contradicts."""

from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.modules import family, form_of, soldered
from tallcheck.core.machine.names import model_key
from tallcheck.core.machine.readings import get, label_of, put
from tallcheck.core.machine.sheet import Doubt, Machine, Module, Origin
from tallcheck.core.values.quantities import format_memory


class Offer(Struct, frozen=True):
    """One entry of a parts list. Size in bytes, speed in MT/s, price in hundredths.

    None is unknown; of an unknown stock any number can be had. Of a kit, which is sold whole,
    ``size`` is that of one module, ``pack`` their number, ``price`` and ``stock`` those of the kit.
    """

    part: str
    size: int
    type: str | None = None
    form: str | None = None
    speed: int | None = None
    ecc: bool | None = None
    registered: bool | None = None
    price: int | None = None
    stock: int | None = None
    source: str = ""
    pack: int = 1
    load_reduced: bool | None = None


class PartsList(Struct, frozen=True):
    """Modules that can be had, the one currency of their prices, and rows that were left out."""

    offers: tuple[Offer, ...]
    currency: str = ""
    faults: tuple[str, ...] = ()

    @property
    def priced(self) -> bool:
        """Whether any price is known, so that cost can be compared."""
        return any(offer.price is not None for offer in self.offers)


class Model(Struct, frozen=True):
    """What machines of one make and model take. Sizes in bytes; None is unknown."""

    maker: str
    model: str
    ceiling: int | None = None
    slots: int | None = None
    position_most: int | None = None
    type: str | None = None
    form: str | None = None
    source: str = ""


NUMBERS = {
    "memory.ceiling": "ceiling", "memory.slots": "slots", "memory.position_most": "position_most",
}  # fmt: skip
"""The readings of numbers that a models list gives, and its own names for them."""


def listed_model(
    models: dict[tuple[str, str], Model], maker: str | None, model: str | None
) -> Model | None:
    """The entry of a make and model; where no maker is told, of the only model of that name.

    ``models`` by ``model_key``.
    """
    key = model_key(maker, model)
    if not key[1]:
        return None
    if key in models or key[0]:
        return models.get(key) or models.get(("", key[1]))
    found = [
        one for (make, name), one in models.items() if key[1] in (name, f"{make} {name}".strip())
    ]
    return found[0] if len(found) == 1 else None


def with_model(machine: Machine, models: dict[tuple[str, str], Model]) -> Machine:
    """The machine with what its model is listed to take: gaps filled, contradictions doubted.

    ``models`` by ``model_key``.
    """
    found = listed_model(models, machine.system.maker, machine.system.model)
    if found is None:
        return machine
    origin = Origin("told", source_text(found))
    doubts: list[Doubt] = []
    for key, name in NUMBERS.items():
        listed, have = getattr(found, name), get(machine, key)
        if listed is None:
            continue
        if have is None:
            machine = put(machine, key, listed, origin)
        elif have != listed:
            doubts.append(differing(key, have, listed))
    machine = _with_kind(machine, found, doubts)
    return structs.replace(machine, doubts=[*machine.doubts, *doubts]) if doubts else machine


def source_text(model: Model) -> str:
    """Where a reading is from that a models list gives."""
    return f"models list: {model.source}" if model.source else "models list"


def differing(key: str, have: Any, listed: Any) -> Doubt:
    """That a sheet and a models list say different numbers of a reading."""

    def shown(value: Any) -> str:
        return str(int(value)) if key == "memory.slots" else format_memory(int(value))

    text = _differing(label_of(key), shown(have), shown(listed))
    return Doubt([key], text, [{key: int(have)}, {key: int(listed)}])


def _differing(label: str, have: str, listed: str) -> str:
    return f"{label}: the sheet says {have}, the models list {listed}"


def _with_kind(machine: Machine, model: Model, doubts: list[Doubt]) -> Machine:
    """Type and form: into the modules that lack them, or beside them where none are listed."""
    modules = machine.memory.modules
    if modules is None:
        told = {"memory_type": model.type, "memory_form": model.form}
        extra = {key: value for key, value in told.items() if value} | (machine.extra or {})
        return structs.replace(machine, extra=extra) if extra else machine
    filled, differing = modules_with_kind(modules, model)
    for name, have, listed in differing:
        text = _differing(f"{name} of the modules", have, listed)
        doubts.append(Doubt(["memory.modules"], text))
    memory = structs.replace(machine.memory, modules=filled)
    return structs.replace(machine, memory=memory)


def modules_with_kind(
    modules: list[Module], model: Model
) -> tuple[list[Module], list[tuple[str, str, str]]]:
    """The modules with the model's type and form where they lack them.

    Beside them what differs: which of the two, what the module says, what the list says.
    """
    filled: list[Module] = []
    differing = []
    for module in modules:
        for name, read in (("type", family), ("form", form_of)):
            have, listed = read(getattr(module, name)), read(getattr(model, name))
            if not module.size or soldered(module) or listed is None:
                continue
            if have is None:
                module = structs.replace(module, **{name: getattr(model, name)})
            elif have.removesuffix("L") != listed.removesuffix("L"):
                differing.append((name, have, listed))
        filled.append(module)
    return filled, differing
