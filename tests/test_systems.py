"""Operating systems as people, screens and machines write them."""

import csv
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.systems import fold_system
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.needs.key import Named
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.text.said import parse_told
from tallcheck.core.values.comparison import in_range
from tallcheck.core.values.errors import InputError
from tests.helpers import VOCABULARY, asked, judge, machine, run

# text, name, version, bits, edition, release within the version
WRITTEN: list[tuple[str, str, str | None, int | None, str | None, str | None]] = [
    ("Windows 11 Pro 23H2", "Windows", "11", None, "Pro", "23H2"),
    ("Win 10", "Windows", "10", None, None, None),
    ("win10", "Windows", "10", None, None, None),
    ("W11", "Windows", "11", None, None, None),
    ("WINDOWS 10 ENTERPRISE", "Windows", "10", None, "ENTERPRISE", None),
    ("Microsoft Windows 10 Pro, 64-bit", "Windows", "10", 64, "Pro", None),
    ("Майкрософт Windows 10 Домашняя", "Windows", "10", None, "Домашняя", None),
    ("Windows 10 Pro N", "Windows", "10", None, "Pro N", None),
    ("Windows 7 Ultimate 32bit", "Windows", "7", 32, "Ultimate", None),
    ("Windows 8.1", "Windows", "8.1", None, None, None),
    ("Windows XP", "Windows", "5.1", None, None, None),
    ("Windows Vista Business", "Windows", "6", None, "Business", None),
    ("Windows 10 version 1909", "Windows", "10", None, None, "1909"),
    ("Windows 10 x64", "Windows", "10", 64, None, None),
    ("Windows", "Windows", None, None, None, None),
    ("Microsoft Windows [Version 10.0.19045.3803]", "Windows", "10", None, None, None),
    ("Windows 10.0.22631", "Windows", "11", None, None, None),
    ("Windows Server 2012 R2", "Windows Server", "2012 R2", None, None, None),
    ("Windows Server 2019 Standard", "Windows Server", "2019", None, "Standard", None),
    ("Windows 2016 Datacenter", "Windows Server", "2016", None, "Datacenter", None),
    ("Windows 2008 R2", "Windows Server", "2008 R2", None, None, None),
    ("Win7 32", "Windows", "7", 32, None, None),
    ("Windows 2000", "Windows", "5", None, None, None),
    ("Windows Server 10.0.17763", "Windows Server", "2019", None, None, None),
    ("macOS Sonoma 14.4", "macOS", "14.4", None, None, None),
    ("macOS Monterey", "macOS", "12", None, None, None),
    ("Mac OS X 10.11.6", "macOS", "10.11.6", None, None, None),
    ("OS X El Capitan", "macOS", "10.11", None, None, None),
    ("High Sierra", "macOS", "10.13", None, None, None),
    ("Ventura", "macOS", "13", None, None, None),
    ("Debian GNU/Linux 12 (bookworm)", "Debian GNU/Linux", "12", None, None, None),
    ("Debian 12 bookworm", "Debian GNU/Linux", "12", None, None, None),
    ("Debian", "Debian GNU/Linux", None, None, None, None),
    ("Ubuntu 22.04.3 LTS", "Ubuntu", "22.04.3", None, "LTS", None),
    ("Linux Mint 21.2", "Linux Mint", "21.2", None, None, None),
    ("Fedora Linux 39", "Fedora Linux", "39", None, None, None),
    ("RHEL 9.3", "Red Hat Enterprise Linux", "9.3", None, None, None),
    ("CentOS Stream 9", "CentOS Linux", "9", None, None, None),
    ("openSUSE Leap 15.5", "openSUSE Leap", "15.5", None, None, None),
    ("Arch Linux", "Arch Linux", None, None, None, None),
    ("Pop!_OS 22.04", "Pop!_OS", "22.04", None, None, None),
    ("Linux", "Linux", None, None, None, None),
    ("ChromeOS", "ChromeOS", None, None, None, None),
    ("Merrow 10", "Merrow", "10", None, None, None),
    ("W7 Pro", "Windows", "7", None, "Pro", None),
    ("Windows Pro 11", "Windows", "11", None, "Pro", None),
    ("WIN10PRO", "Windows", "10", None, "PRO", None),
    ("Windows Server 2012R2", "Windows Server", "2012 R2", None, None, None),
    ("Windows Server Core 2022", "Windows Server", "2022", None, "Core", None),
    ("Windows Server", "Windows Server", None, None, None, None),
    ("Ubuntu Server 22.04 LTS", "Ubuntu", "22.04", None, "Server LTS", None),
    ("Ubuntu Jammy", "Ubuntu", "22.04", None, None, None),
    ("Fedora Workstation 39", "Fedora Linux", "39", None, "Workstation", None),
    ("Sedge", "Sedge", None, None, None, None),
    ("Sedge 4.2 beta", "Sedge", "4.2", None, None, None),
]


@pytest.mark.parametrize(("text", "name", "version", "bits", "edition", "release"), WRITTEN)
def test_names_versions_and_what_is_set_aside(
    text: str, name: str, version: str | None, bits: int | None, edition: str | None,
    release: str | None,
) -> None:  # fmt: skip
    said = VOCABULARY.systems.said(text)
    assert (said.name, said.version, said.bits) == (name, version, bits)
    if said.known:
        assert (said.edition, said.release) == (edition, release)


@pytest.mark.parametrize("text", ["", "10", "11.2", "64-bit", "?!"])
def test_what_is_no_system_is_refused(text: str) -> None:
    with pytest.raises(InputError):
        VOCABULARY.systems.said(text)


@given(st.text(max_size=80))
def test_any_text_is_a_system_or_refused(text: str) -> None:
    try:
        said = VOCABULARY.systems.said(text)
    except InputError:
        return
    assert said.name.strip()
    assert fold_system(fold_system(said.name)) == fold_system(said.name)


@pytest.mark.parametrize(
    ("version", "span", "holds"),
    [("10", ">=10", True), ("8.1", ">=10", False), ("2012 R2", ">=2012", True),
     ("2012", ">=2012.1", False), ("2012 R2", ">2012", True), (None, ">=10", None),
     ("22.04.3", ">=22.04", True), (None, "", True)],
)  # fmt: skip
def test_versions_in_ranges(version: str | None, span: str, holds: bool | None) -> None:
    assert in_range(version, span) is holds


# what runs, what is asked, and the row's status
HELD: list[tuple[dict[str, str], object, str]] = [
    ({"os": "Windows", "os_version": "10"}, "Windows 10", "met"),
    ({"os": "Windows", "os_version": "10"}, "Win 11 or later", "short"),
    ({"os": "Windows"}, "Windows >= 10", "unknown"),
    ({"os": "Windows"}, "Windows", "met"),
    ({"os": "Microsoft Windows", "os_version": "11"}, "Windows >= 10", "met"),
    ({"os": "Debian GNU/Linux", "os_version": "12"}, "Debian >= 11", "met"),
    ({"os": "Debian GNU/Linux", "os_version": "12"}, "Linux", "met"),
    ({"os": "Debian GNU/Linux", "kernel": "6.1"}, "Linux >= 5.10", "met"),
    ({"os": "Debian GNU/Linux", "kernel": "4.9"}, "Linux >= 5.10", "short"),
    ({"os": "Debian GNU/Linux"}, "Linux >= 5.10", "unknown"),
    ({"os": "Ubuntu", "os_version": "20.04"}, ["Ubuntu >= 22.04", "Windows >= 10"], "short"),
    ({"os": "macOS", "os_version": "14"}, ["Windows", "Mac OS X >= 12"], "met"),
    ({"os": "Windows Server", "os_version": "2019"}, "Windows Server >= 2016", "met"),
    ({"os": "Sedge", "os_version": "4"}, "sedge >= 4", "met"),
    ({"os": "Sedge", "family": "linux"}, "Linux", "met"),
    ({}, "Windows", "unknown"),
]


@pytest.mark.parametrize(("system", "need", "status"), HELD)
def test_what_runs_held_against_what_is_asked(
    system: dict[str, str], need: object, status: str
) -> None:
    (row,) = judge(machine(system=system), os=need).rows
    assert row.status == status


def test_needs_name_systems_as_the_data_does() -> None:
    names = (("Windows", ">=10"), ("RHEL", ">=9"), ("Merrow", ">=9"))
    assert parse_test("os", ["Win 10", "RHEL >= 9", "Merrow 9"], VOCABULARY) == Named(
        names, VOCABULARY.systems
    )
    assert asked(os="Windows 11 Pro")[0].need.test == Named(
        (("Windows", ">=11"),), VOCABULARY.systems
    )
    for text in ("Windows 10 or 11", "Windows 10/11", "Windows Pro 10"):
        assert parse_test("os", text, VOCABULARY) == Named(
            (("Windows", ">=10"),), VOCABULARY.systems
        )


# what runs, its bits where told, and the row of a 64-bit system
WIDE: list[tuple[str, str, str, str]] = [
    ("Windows", "11", "", "met"),
    ("Windows", "10", "", "unknown"),
    ("Windows", "10.0.22631", "", "met"),
    ("Windows", "", "", "unknown"),
    ("Windows Server", "2008 R2", "", "met"),
    ("Windows Server", "2008", "", "unknown"),
    ("macOS", "10.7", "", "unknown"),
    ("OS X", "10.11", "", "met"),
    ("Sedge", "11", "", "unknown"),
    ("Windows", "11", "64", "met"),
    ("Windows", "11", "32", "unknown"),  # a doubt: one of the two is wrong
    ("Windows", "10", "32", "short"),
]


def test_some_versions_come_with_64_bits_only(tmp_path: Path) -> None:
    path, result = tmp_path / "list.csv", tmp_path / "result.csv"
    lines = [f"m{at},{os},{version},{bits}" for at, (os, version, bits, _) in enumerate(WIDE)]
    path.write_text("\n".join(["name,system.os,system.os_version,system.os_bits", *lines]))
    assert run("fleet", str(path), "--need", "os_bits=64", "--save", str(result)).code == 0
    with result.open() as file:
        listed = [row["os_bits_status"] for row in csv.DictReader(file)]
    for (os, version, bits, status), in_list in zip(WIDE, listed, strict=True):
        told = {"os": os, "os_version": version or None, "os_bits": int(bits) if bits else None}
        sheet = machine(system={key: value for key, value in told.items() if value})
        (row,) = judge(sheet, os_bits=64).rows
        assert (row.status, in_list) == (status, status), (os, version, bits)


def test_a_told_system_has_the_bits_that_it_comes_with() -> None:
    old = machine(system={"os": "Windows", "os_version": "10", "os_bits": 32})
    told = tell_all(old, parse_told("os=Windows 11", VOCABULARY), VOCABULARY, "--have")
    assert complete(told, VOCABULARY).system.os_bits == 64
    assert (
        complete(
            tell_all(told, parse_told("bits=32", VOCABULARY), VOCABULARY, "--have"),
            VOCABULARY,
        ).system.os_bits
        == 32
    )
