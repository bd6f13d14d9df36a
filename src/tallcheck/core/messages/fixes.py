"""Fixes in words: what is changed, named."""

from tallcheck.core.decide.decision import Verdict
from tallcheck.core.decide.fixes import Fix
from tallcheck.core.messages.rows import key_name, need_text
from tallcheck.core.messages.values import listed, total_text
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.values.quantities import format_memory, format_storage

_KINDS = {
    "memory": "fit more memory",
    "setting": "change a setting",
    "system": "install another operating system",
    "part": "add what is missing",
    "storage": "fit more or other storage",
    "graphics": "change the graphics card",
    "processor": "change the board or its processor",
    "machine": "replace the machine",
}
"""Kinds of fix, the lesser ones first."""
_SETTINGS = {
    "security_module": "switch on the security module in the firmware's setup",
    "secure_boot": "switch on secure boot in the firmware's setup",
    "firmware": "change the firmware's mode in its setup",
    "virtualization": "switch on virtualization in the firmware's setup",
    "memory_own": "give back the memory that a setting keeps from use",
}
_OF_HOST = {"clock", "generation", "processors"}
"""What a virtual machine has of its host's processor, and no setting changes."""
_PARTS = {"display": "a larger display", "security_module": "a security module"}


def fix_text(fix: Fix, verdict: Verdict) -> str:
    """What a fix of the trial that was taken does."""
    virtual = verdict.world.get("system.virtual")
    if fix.kind == "memory":
        return _memory(verdict)
    if fix.kind == "system":
        return _system(fix, verdict)
    if fix.kind == "setting":
        if virtual:
            return _on_the_host(fix, verdict)
        return listed([_setting(key, fix, verdict) for key in fix.rows]) or _KINDS["setting"]
    if fix.kind == "storage":
        return _storage(fix, verdict)
    if fix.kind == "part":
        named = [_PARTS[key] for key in fix.rows if key in _PARTS]
        if named and len(named) == len(fix.rows):
            return f"add {listed(named)}"
    return _KINDS[fix.kind]


def kinds_text(kinds: tuple[str, ...], key: str) -> str:
    """What kinds of fix do about a row, where it is not known yet which is needed."""
    words = _KINDS | ({"part": f"add {_PARTS[key]}"} if key in _PARTS else {})
    return ", or ".join(text for kind, text in words.items() if kind in kinds)


def _on_the_host(fix: Fix, verdict: Verdict) -> str:
    """Which settings of a virtual machine, and to what; or what another host must have."""
    rows = [row for row in verdict.rows if row.key in fix.rows and row.status == "short"]
    asked = [(row.key, key_name(row.key), need_text(row.ask.asked.need)) for row in rows]
    own = [f"{name} is {need}" for key, name, need in asked if key in _OF_HOST]
    given = [f"offer {need}" for key, _, need in asked if key == "instructions"]
    told = [
        f"{name} to {need}" for key, name, need in asked if key not in _OF_HOST | {"instructions"}
    ]
    what = listed([*([f"set {listed(told)}"] if told else []), *given])
    texts = [f"move the virtual machine to a host where {listed(own)}"] if own else []
    if what or not own:
        texts.append(f"{what or 'change it'} in the virtual machine's settings on the host")
    return listed(texts)


def _memory(verdict: Verdict) -> str:
    target = verdict.decision.target_memory
    if target is None:
        return _KINDS["memory"]
    text = f"bring the memory to {total_text(target)}"
    if verdict.world.get("system.virtual"):
        text += " on the host: a virtual machine has no modules to buy"
    return text


def _system(fix: Fix, verdict: Verdict) -> str:
    name, version = fix.changes.get("system.os"), fix.changes.get("system.os_version")
    bits = fix.changes.get("system.os_bits")
    asked = [need_text(row.ask.asked.need) for row in verdict.rows if row.key == "os"]
    if name and version and not any(str(version) in one.split() for one in asked):
        # the version is out of a range that names only its end
        name = asked[0] if len(asked) == 1 else f"a release of {name} that each of them takes"
    elif name and version:
        name = f"{name} {version}"
    if name:
        return f"install {name} ({bits}-bit)" if bits else f"install {name}"
    return f"install a {bits}-bit operating system" if bits else _KINDS["system"]


def _setting(key: str, fix: Fix, verdict: Verdict) -> str:
    if key in _SETTINGS:
        return _SETTINGS[key]
    row = next((one for one in verdict.rows if one.key == key), None)
    have = row.answer.evaluation.have if row is not None else None
    if key in ("cores", "threads") and row is not None and isinstance(have, int):
        more = fix.changes.get(f"processor.{key}", 0) > have
        return f"switch on the {key} that are off" if more else f"turn off {key}"
    if key == "memory" and isinstance(have, int):
        if fix.changes.get("memory.installed", have) < have:
            return "show the system less memory"
        limit = verdict.world.get("memory.limit")
        if limit is not None:
            return f"lift the limit of {format_memory(limit)} that is set on the memory"
        return "give back the memory that a setting keeps from use"
    if key == "instructions":
        return "offer the hidden instruction sets"
    return f"change a setting for {KEYS[key].label}" if key in KEYS else "change a setting"


def _storage(fix: Fix, verdict: Verdict) -> str:
    free = fix.changes.get("storage.free")
    have = verdict.world.get("storage.free")
    virtual = verdict.world.get("system.virtual")
    give, where = ("give it", " on the host") if virtual else ("fit", "")
    if fix.rows == ("storage_free",) and free is not None and have is not None:
        return f"free {format_storage(free - have)} or {give} a larger drive{where}"
    if fix.rows == ("storage_kind",):
        return f"{give} a {fix.changes.get('storage.kind', 'another')} drive{where}"
    drive = fix.changes.get("storage.drive")
    if drive is not None:
        return f"{give} a drive of {format_storage(drive)} or more{where}"
    return _KINDS["storage"]
