"""The steps by hand that change memory modules: short, once, by what case and modules there are."""

from tallcheck.core.board.account import SMALL_SHAPES
from tallcheck.core.upgrade.plan import Upgrade
from tallcheck.core.values.quantities import format_memory

_SMALL = ("SODIMM", "CSODIMM")
_OUT = {
    True: "Take a module out: spread the clips at its sides until it springs up, then pull it by "
    "its edges.",
    False: "Take a module out: press down the clip at its end, or those at both, then lift it by "
    "its edges.",
}
_IN = {
    True: "Put a module in: notch to key, at a slant until its contacts hardly show; press it down "
    "until both clips click.",
    False: "Put a module in: clips open, notch to key; press both ends straight down until the "
    "clips click.",
}


def hand_steps(found: Upgrade) -> list[str]:
    """What hands do from the last click to the first start; none where nothing is changed."""
    plan, board = found.plan, found.board
    if plan is None or board is None or board.virtual:
        return []
    portable = found.machine.system.shape in SMALL_SHAPES
    small = portable or (board.form or "") in _SMALL
    power = "Shut it down, not to sleep, and unplug it."
    if portable:
        power += (
            " Take the battery out, or switch it off in the firmware's setup where it is fixed."
        )
    steps = [
        power,
        "Open the case, and touch bare metal of it before a module. Hold modules by their edges.",
    ]
    if plan.remove:
        steps.append(_OUT[small])
    if plan.add:
        steps.append(_IN[small])
    total = format_memory(plan.total)
    return [
        *steps,
        f"Close it, plug it in, start it. A first start may take a minute or two; then {total} is "
        "what the firmware's setup and the system show. If not, press the modules in once more.",
    ]
