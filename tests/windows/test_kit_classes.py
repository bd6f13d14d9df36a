"""The properties that the kit for Windows asks for, held against the classes that Wine has.

A name that Wine does not know makes its whole answer empty; those that only Windows has are named.
"""

import os
import re
import subprocess
from pathlib import Path

import pytest

from tallcheck.cli.kit import script_path
from tests.windows.conftest import WINE

ONLY_WINDOWS = {
    "Win32_Processor": {"NumberOfEnabledCore", "L2CacheSize", "L3CacheSize",
                        "VirtualizationFirmwareEnabled", "VMMonitorModeExtensions"},
    "Win32_PhysicalMemory": {"Speed", "SMBIOSMemoryType", "Manufacturer", "TotalWidth",
                             "DataWidth", "Attributes"},
    "Win32_ComputerSystem": {"PCSystemType"},
}  # fmt: skip
NOT_IN_WINE = {"Win32_PhysicalMemoryArray", "Win32_Battery", "Win32_PageFileUsage", "Win32_Tpm",
               "MSFT_PhysicalDisk"}  # fmt: skip
ASKED = {
    match[1]: re.findall(r'"(\w+)"', match[2])
    for match in re.finditer(
        r'^Save-Class "(\w+)" @\(([^)]*)\)', Path(script_path("windows")).read_text(), re.MULTILINE
    )
}


def test_every_class_is_looked_at() -> None:
    assert len(ASKED) == 14
    assert NOT_IN_WINE | set(ONLY_WINDOWS) <= set(ASKED)


@pytest.mark.parametrize("name", sorted(set(ASKED) - NOT_IN_WINE))
def test_wine_answers_for_what_the_kit_asks_of(name: str) -> None:
    wanted = [one for one in ASKED[name] if one not in ONLY_WINDOWS.get(name, set())]
    words = ["wine", "wmic", "path", name, "get", ",".join(wanted), "/value"]
    ran = subprocess.run(
        words, input=b"", capture_output=True, timeout=120, check=False, env={**os.environ, **WINE}
    )
    head = ran.stdout.decode("utf-16").splitlines()[:1]
    told = head[0].lower() if head else ""
    assert [one for one in wanted if one.lower() not in told] == []
