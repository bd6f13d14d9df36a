"""Boards that a device tree describes: model and memory nodes (Devicetree Specification)."""

import re

from tallcheck.core.machine.amounts import likely_fitted
from tallcheck.gather.draft import Draft
from tallcheck.gather.source import Source

BASES = ("sys/firmware/devicetree/base", "proc/device-tree")
"""Where Linux shows the tree."""
_CELL = 4
_HOSTS = r"dummy-virt|virtio|qemu|\bvirt\b"
"""What hosts call the boards of their virtual machines."""


def read_device_tree(source: Source, draft: Draft) -> None:
    """What the tree tells of a machine that has no firmware tables."""
    for base in BASES:
        raw = source.read(f"{base}/model")
        if not raw:
            continue
        model = " ".join(raw.rstrip(b"\0").decode("utf-8", "replace").split())
        system, memory = draft.machine.system, draft.machine.memory
        if system.model is None:
            draft.read("system.model", model, f"/{base}/model")
        if re.search(_HOSTS, model):
            draft.read("system.virtual", True, f"/{base}/model")
            return
        if system.shape is None:
            shape = draft.vocabulary.models.shape(system.maker, model)
            draft.work_out(
                "system.shape", shape or "board",
                "its name" if shape else "a board that a device tree describes",
            )  # fmt: skip
        total = _memory(source, base)
        if total and memory.installed is None and likely_fitted(float(total)) == total:
            draft.read("memory.installed", total, f"/{base}/memory*")
        if memory.modules is None and memory.slots is None:
            draft.work_out("memory.slots", 0, "a board that a device tree describes: soldered")
        return


def _memory(source: Source, base: str) -> int:
    """The bytes of all memory nodes."""
    address, size = _cells(source, base, "#address-cells"), _cells(source, base, "#size-cells")
    total = 0
    for name in source.names(base):
        raw = source.read(f"{base}/{name}/reg") if name.partition("@")[0] == "memory" else None
        step = (address + size) * _CELL
        for at in range(0, len(raw or b"") - step + 1, step):
            field = (raw or b"")[at + address * _CELL : at + step]
            total += int.from_bytes(field, "big")
    return total


def _cells(source: Source, base: str, name: str) -> int:
    raw = source.read(f"{base}/{name}") or b""
    count = int.from_bytes(raw[:_CELL], "big") if len(raw) >= _CELL else 2
    return count if 0 < count <= 2 else 2
