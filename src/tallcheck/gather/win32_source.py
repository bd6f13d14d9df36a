"""The running Windows system as a source: what its interfaces answer, by name."""

from collections.abc import Callable

from tallcheck.gather import win32, win32_devices
from tallcheck.gather.source import NOT_LOOKED_FOR

VOLUMES = "calls/volumes"

_CALLS: dict[str, Callable[[], bytes]] = {
    # as the kit captures them
    "smbios.bin": win32.smbios,
    "features.json": win32.features,
    "registry.json": win32.registry_values,
    "programs.json": win32.programs,
    "adapters.json": win32_devices.adapters,
    # what only a call tells
    "displays.json": win32_devices.displays,
    "calls/direct3d-12": win32_devices.direct3d_12,
    "calls/memory-status": win32.memory_status,
    "calls/installed-memory": win32.installed_memory,
    "calls/page-files": win32.page_files,
    "calls/performance": win32.performance,
    "calls/processes": win32.processes,
    "calls/processor-times": win32.processor_times,
    "calls/logical-processors": win32.logical_processors,
    "calls/machines": win32.machines,
    "calls/system-info": win32.system_info,
    "calls/version": win32.version,
    "calls/firmware-type": win32.firmware_type,
    "calls/security-module": win32.security_module,
    "calls/system-drive": win32_devices.system_drive,
}
_OF_VOLUMES: dict[str, Callable[[str], bytes]] = {
    "kind": win32_devices.drive_kind,
    "space": win32_devices.space,
    "device": win32_devices.device,
    "seek": win32_devices.seek_penalty,
    "geometry": win32_devices.geometry,
}


class Win32:
    """The Windows machine this runs on."""

    live = True

    def read(self, path: str) -> bytes | None:
        """What an interface answers, or None where it is missing or refuses.

        ``calls/volumes/C/space`` is of one volume, the other paths are of the machine.
        """
        above, _, name = path.rpartition("/")
        volumes, _, letter = above.rpartition("/")
        try:
            if volumes == VOLUMES and name in _OF_VOLUMES:
                return _OF_VOLUMES[name](letter) or None
            return (_CALLS[path]() or None) if path in _CALLS else None
        except (OSError, ImportError):
            return None

    def names(self, path: str) -> list[str]:
        """The volumes' letters, or what stands at the top."""
        if path != VOLUMES:
            return [] if path else ["calls", *(name for name in _CALLS if "/" not in name)]
        try:
            return win32_devices.volumes()
        except OSError:
            return []

    def state(self, path: str) -> str:
        """Only asking tells whether an answer is there."""
        return NOT_LOOKED_FOR

    def volume(self, mount: str) -> tuple[int, int] | None:
        """Volumes are read by their letters."""
        return None
