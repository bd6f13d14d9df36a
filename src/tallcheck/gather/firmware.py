"""Firmware tables into readings: what they mean, and where they cannot all be true."""

import re

from msgspec import structs

from tallcheck.core.machine.amounts import completed
from tallcheck.core.machine.derive import amounts_of
from tallcheck.core.machine.locators import channel_of, socket_of
from tallcheck.core.machine.modules import FORMS, clock_for_speed, running_is_clock
from tallcheck.core.machine.sheet import Module
from tallcheck.core.values.either import UNKNOWN
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import format_memory
from tallcheck.gather.draft import Draft
from tallcheck.gather.listed import as_positions
from tallcheck.gather.smbios import (
    SHAPES,
    Device,
    Socket,
    Tables,
    decode,
    meant,
    parse_entry,
)
from tallcheck.gather.source import DENIED, THERE, Source, read_int, read_text

_TABLES = "sys/firmware/dmi/tables"
_ID = "sys/class/dmi/id"
_UDEV = "run/udev/data/+dmi:id"
_FORMS = {form.upper().replace("-", ""): form for form in FORMS.values()}

# makers and models in structure 1 that hosts of virtual machines put there
_VIRTUAL = re.compile(
    r"qemu|kvm|vmware|virtualbox|innotek|virtual machine|\bxen\b|hvm domu|bochs|parallels|bhyve|"
    r"amazon ec2|google compute|openstack|nutanix ahv|virtualization|cloud hypervisor|firecracker",
    re.IGNORECASE,
)


def read_firmware(source: Source, draft: Draft, serials: bool) -> None:
    """The firmware tables on Linux, or what is left of them without root."""
    table = source.read(f"{_TABLES}/DMI")
    if table:
        entry = parse_entry(source.read(f"{_TABLES}/smbios_entry_point") or b"")
        if entry and entry.length is not None and len(table) < entry.length:
            draft.note(
                f"the firmware's entry point promises {entry.length} bytes of tables, "
                f"{len(table)} are there"
            )
        put_tables(decode(table, entry.version if entry else None), draft, serials)
        _from_id(source, draft)
        return
    _without_root(source, draft)


def put_tables(tables: Tables, draft: Draft, serials: bool) -> None:
    """Decoded tables as readings."""
    for fault in tables.faults[:8]:
        draft.note(f"firmware tables: {fault}; what was sound was read")
    if tables.firmware:
        origin = "SMBIOS structure 0"
        draft.read("firmware.version", tables.firmware.version, origin)
        draft.read("firmware.date", iso_date(tables.firmware.date), origin)
    if tables.system:
        put_system(tables.system.maker, tables.system.model, "SMBIOS structure 1", draft)
        if serials:
            draft.read("system.serial", tables.system.serial, "SMBIOS structure 1")
    shape = SHAPES.get(tables.chassis or 0)
    draft.read("system.shape", shape, "SMBIOS structure 3")
    _put_processors(tables.sockets, draft)
    _put_memory(tables, draft, serials)


def put_system(maker: str | None, model: str | None, origin: str, draft: Draft) -> None:
    """Maker and model; what hosts put there tells a virtual machine, and else that it is none."""
    maker, model = meant(maker), meant(model)
    draft.read("system.maker", maker, origin)
    draft.read("system.model", model, origin)
    virtual = is_virtual(maker, model)
    if virtual or (draft.machine.system.virtual is None and (maker or model)):
        draft.read("system.virtual", virtual, origin)


def is_virtual(maker: str | None, model: str | None) -> bool:
    """Whether maker and model are those that hosts give their virtual machines."""
    return bool(_VIRTUAL.search(f"{maker or ''} {model or ''}"))


def iso_date(text: str | None) -> str | None:
    """``MM/DD/YYYY``, as firmware writes it, as ``YYYY-MM-DD``; another text is no date."""
    match = re.fullmatch(r"(\d{2})/(\d{2})/(\d{4}|\d{2})", text or "")
    if not match:
        return None
    year = match[3] if len(match[3]) == 4 else f"19{match[3]}"
    return f"{year}-{match[1]}-{match[2]}"


def _put_processors(sockets: list[Socket], draft: Draft) -> None:
    """What only the tables tell: positions of the processors, and cores that are switched off."""
    fitted = [one for one in sockets if one.populated]
    if len(sockets) > len(fitted):
        draft.note(f"{len(fitted)} of {len(sockets)} processor sockets are filled")
    if not fitted or draft.machine.system.virtual:
        return
    total = _sum([one.cores for one in fitted])
    threads = _sum([one.threads for one in fitted])
    enabled = _sum([one.cores_enabled or one.cores for one in fitted])
    if total is None or enabled is None:
        return
    draft.extra("firmware_cores", total)
    if threads is not None:
        draft.extra("firmware_threads", threads)
    runs, graphs = draft.machine.processor.cores, draft.machine.processor.threads
    off = (draft.machine.extra or {}).get("threads_off")
    if threads and graphs and runs == enabled == total and graphs < threads and off is None:
        draft.extra("threads_off", threads - graphs)
        draft.note("several threads a core are switched off in the firmware's settings")
    if total > enabled:
        _switched_off(total - enabled, "in the firmware's settings", draft)
    elif runs is not None and runs < enabled:
        _switched_off(enabled - runs, "by the running system", draft)
    live = enabled if runs is None else min(runs, enabled)
    if total > live:
        draft.extra("cores_off", total - live)


def _sum(counts: list[int | None]) -> int | None:
    return None if not counts or None in counts else sum(count or 0 for count in counts)


def _switched_off(count: int, where: str, draft: Draft) -> None:
    draft.note(f"{count} {'core is' if count == 1 else 'cores are'} switched off {where}")


def _module(device: Device, serials: bool) -> Module:
    fitted = bool(device.size)
    return Module(
        slot=device.locator or device.bank,
        size=device.size,
        type=device.type,
        form=device.form,
        speed=device.speed if fitted else None,
        running=device.running if fitted else None,
        maker=device.maker,
        part=device.part,
        serial=device.serial if serials else None,
        channel=channel_of(device.locator, device.bank),
        bank=device.bank,
        rank=device.rank if fitted else None,
        ecc=device.ecc if fitted else None,
        registered=device.registered if fitted else None,
        load_reduced=device.load_reduced if fitted else None,
        voltage=device.voltage if fitted else None,
    )


def _put_memory(tables: Tables, draft: Draft, serials: bool) -> None:
    origin = "SMBIOS structure 17"
    devices = _of_there(tables.devices, tables.sockets)
    gone = len(tables.devices) - len(devices)
    if gone:
        draft.note(f"{gone} memory positions belong to a processor that is not there")
    if tables.persistent:
        draft.note(f"{tables.persistent} memory positions hold persistent modules")
    if devices:
        modules = as_positions(_module(device, serials) for device in devices)
        draft.read("memory.modules", modules, origin)
        sizes = [device.size for device in devices]
        filled = sum(1 for size in sizes if size != 0)
        if _cut_short(tables):
            _doubt_cut_list(draft, sum(size or 0 for size in sizes))
        elif None not in sizes:
            total = sum(size or 0 for size in sizes)
            of = f"{origin}, {filled} {'module' if filled == 1 else 'modules'}"
            draft.read("memory.installed", total or None, of)
        else:
            draft.note("a module does not tell its size, so the memory fitted is worked out")
    slots = [array.slots for array in tables.arrays if array.slots]
    if slots:
        declared = sum(slots) - gone - tables.persistent
        if declared < len(devices):
            draft.read("memory.slots", len(devices), origin)
            draft.note(
                f"firmware tables: {declared} memory positions are announced, {len(devices)} listed"
            )
        else:
            draft.read("memory.slots", declared, "SMBIOS structure 16")
    elif devices and not _cut_short(tables):
        draft.work_out("memory.slots", len(devices), f"{origin}: the positions listed")
    ceilings = [array.ceiling for array in tables.arrays]
    if ceilings and None not in ceilings:
        draft.read("memory.ceiling", sum(c or 0 for c in ceilings), "SMBIOS structure 16")
    compare_memory(draft)


def _of_there(devices: list[Device], sockets: list[Socket]) -> list[Device]:
    """The positions of processors that are there, where both are told by number.

    Numbers begin at 0 or 1 in either; what is filled refutes that its processor is not there.
    """
    own = [socket_of(f"{one.locator} {one.bank}") for one in devices]
    numbers = sorted({one for one in own if one is not None})
    absent = {
        number for number, socket in zip(numbers, sockets, strict=False) if not socket.populated
    }
    if None in own or len(numbers) != len(sockets) or not absent:
        return devices
    kept = [one for one, number in zip(devices, own, strict=True) if number not in absent]
    return devices if any(one.size for one in devices if one not in kept) else kept


def compare_memory(draft: Draft) -> None:
    """Ceiling, speeds and modules held against each other."""
    _speeds(draft)


def _cut_short(tables: Tables) -> bool:
    """Whether the table is unsound and lists fewer positions than it announces, or may do so."""
    announced = sum(array.slots or 0 for array in tables.arrays)
    return bool(tables.faults) and (len(tables.devices) < announced or not announced)


def _doubt_cut_list(draft: Draft, listed: int) -> None:
    """Modules from an unsound table: there may be more. Fitted memory is worked out instead."""
    known = structs.replace(amounts_of(draft.machine, draft.vocabulary), in_modules=UNKNOWN)
    if completed(known).installed == listed:
        draft.read("memory.installed", listed, "SMBIOS structure 17")
        return
    draft.doubt(
        ["memory.modules"],
        f"the firmware tables end too early: they list {format_memory(listed)} in modules, and "
        "there may be more",
    )


def _speeds(draft: Draft) -> None:
    """Rated speed against running speed, and clocks where speeds should be."""
    slower: dict[tuple[int, int], list[str]] = {}
    for at, module in enumerate(draft.machine.memory.modules or []):
        slot = module.slot or f"position {at + 1}"
        for key, speed in (("speed", module.speed), ("running", module.running)):
            meant = clock_for_speed(module.type, speed)
            if meant:
                draft.doubt(
                    [f"memory.modules[{at}].{key}"],
                    f"{slot}: no {module.type} module has {speed} MT/s; that is the clock of one "
                    f"with {meant} MT/s",
                )
        if running_is_clock(module):
            draft.doubt(
                [f"memory.modules[{at}].running"],
                f"{slot} is rated {module.speed} MT/s and said to run at {module.running}, exactly "
                "half: that is the clock, and the speed is the rated one",
            )
        elif module.speed and module.running and module.running < module.speed - 1:
            slower.setdefault((module.speed, module.running), []).append(slot)
    for (rated, running), slots in slower.items():
        which = f"{slots[0]} is" if len(slots) == 1 else f"{len(slots)} modules are"
        run = "runs" if len(slots) == 1 else "run"
        draft.note(
            f"{which} rated {rated} MT/s and {run} at {running} MT/s: all modules run at the "
            "speed of the slowest, or of the board"
        )


# --- without root --------------------------------------------------------------------------


def _without_root(source: Source, draft: Draft) -> None:
    """Without the tables: what /sys/class/dmi/id and the udev database give."""
    _from_id(source, draft)
    udev = read_text(source, _UDEV)
    if udev:
        _from_udev(udev, draft)
    states = {source.state(f"{_TABLES}/DMI"), source.state(_TABLES)}
    if DENIED in states or (source.live and THERE in states):
        had = "positions and ceiling" if not udev else "what the udev database lacks"
        draft.note(
            f"the firmware tables are for root only: as root, gather adds modules, {had}, rated "
            "and running speeds"
        )


def _from_id(source: Source, draft: Draft) -> None:
    """What the kernel shows of the tables to everybody, where the tables themselves were mute."""
    origin = f"/{_ID}"
    system, firmware = draft.machine.system, draft.machine.firmware
    if system.maker is None and system.model is None:
        maker = meant(read_text(source, f"{_ID}/sys_vendor"))
        put_system(maker, meant(read_text(source, f"{_ID}/product_name")), origin, draft)
    if system.shape is None:
        shape = SHAPES.get((read_int(source, f"{_ID}/chassis_type") or 0) & 0x7F)
        draft.read("system.shape", shape, f"{origin}/chassis_type")
    if firmware.version is None:
        draft.read("firmware.version", meant(read_text(source, f"{_ID}/bios_version")), origin)
    if firmware.date is None:
        draft.read("firmware.date", iso_date(read_text(source, f"{_ID}/bios_date")), origin)


def _from_udev(text: str, draft: Draft) -> None:
    """The udev database's entry for the firmware tables (systemd, since 248)."""
    values = dict(
        line[2:].split("=", 1)
        for line in text.splitlines()
        if re.match(r"E:MEMORY_[A-Z0-9_]+=", line)
    )

    def number(key: str) -> int | None:
        return whole_number(values.get(key, ""))

    origin = "the udev database, dmi"
    modules = []
    numbers = {int(m[1]) for key in values if (m := re.match(r"MEMORY_DEVICE_(\d{1,4})_", key))}
    for at in sorted(numbers):
        prefix = f"MEMORY_DEVICE_{at}_"
        size = 0 if values.get(prefix + "PRESENT") == "0" else number(prefix + "SIZE")
        total, data = number(prefix + "TOTAL_WIDTH"), number(prefix + "DATA_WIDTH")
        form = values.get(prefix + "FORM_FACTOR") or None
        locator, bank = values.get(prefix + "LOCATOR"), values.get(prefix + "BANK_LOCATOR")
        form = _FORMS.get(form.upper().replace("-", ""), form) if form else None
        modules.append(
            Module(
                slot=locator or bank,
                size=size,
                type=values.get(prefix + "TYPE"),
                form=form,
                speed=number(prefix + "SPEED_MTS") if size else None,
                running=number(prefix + "CONFIGURED_SPEED_MTS") if size else None,
                maker=values.get(prefix + "MANUFACTURER") if size else None,
                part=values.get(prefix + "PART_NUMBER") if size else None,
                channel=channel_of(locator, bank),
                bank=bank,
                rank=number(prefix + "RANK") if size else None,
                ecc=total > data if size and total and data else None,
            )
        )
    if modules:
        modules = as_positions(modules)
        draft.read("memory.modules", modules, origin)
        sizes = [module.size for module in modules]
        if None not in sizes and any(sizes):
            draft.read("memory.installed", sum(size or 0 for size in sizes), origin)
    draft.read("memory.slots", number("MEMORY_ARRAY_NUM_DEVICES"), origin)
    draft.read("memory.ceiling", number("MEMORY_ARRAY_MAX_CAPACITY"), origin)
    compare_memory(draft)
