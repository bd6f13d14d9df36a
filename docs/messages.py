"""Writes what the tool says, answer by answer, to be read aloud: ``python docs/messages.py``.

A test holds the page against what is said today.
"""

import datetime
from pathlib import Path
from typing import NamedTuple

from tallcheck.cli.inputs import Wanted, installed_here, machine_of, needs_of
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.machine.normalized import with_findings
from tallcheck.core.machine.sheet import SHEET_FORMAT, Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.messages.note import note
from tallcheck.core.messages.sentence import headline, sentence
from tallcheck.core.text.said import parse_told
from tallcheck.files.config import DEMO_FOLDER
from tallcheck.files.table import parts_list
from tallcheck.files.vocabulary import vocabulary
from tallcheck.report.formats import sections

PAGE = Path(__file__).parent / "messages.md"
_DEMO = Path(DEMO_FOLDER).parent
_DAY = datetime.date(2026, 11, 24)
_NOTEBOOK = "shape=notebook clock=2.4GHz storage=256GB processor_bits=64"
_WINDOWS = "os=Windows os_version=10 os_bits=64"


class Said(NamedTuple):
    """One answer: which machine, by the demo's name or by what is told, and what is asked for."""

    title: str
    machine: str
    told: str = ""
    against: str = "merrow@10"
    asked: str = ""
    parts: bool = False


ANSWERS = (
    Said("Ready", "orchid-house-08"),
    Said("Ready for a program beside a system", "map-room-03", against="merrow@10 fernfolio"),
    Said("Memory alone, with a parts list", "potting-02", parts=True),
    Said("Memory alone, without one", "potting-02"),
    Said("Memory alone, of a machine that was told", "bench-21",
         f"memory=4GB slots=2 modules=4GB,- cores=4 {_NOTEBOOK} {_WINDOWS}", "",
         "memory=8GB cores=4"),
    Said("Memory alone, of a total that a screen shows", "bench-22", f"usable=7.8GB {_WINDOWS}", "",
         "memory=16GB"),
    Said("Memory alone, with a full board", "bench-23",
         f"memory=8GB slots=2 modules=4GB,4GB {_NOTEBOOK} {_WINDOWS}", "", "memory=16GB"),
    Said("A virtual machine, memory", "booking-12"),
    Said("A virtual machine, cores", "trellis-31", f"memory=8GB virtual=yes cores=2 {_WINDOWS}", "",
         "cores=4 memory=8GB"),
    Said("Memory and a drive", "bench-24",
         f"memory=4GB {_NOTEBOOK} storage_free=5GB {_WINDOWS}", "", "memory=8GB storage_free=20GB"),
    Said("Memory and a 64-bit system", "bench-25",
         "memory=4GB os=Windows os_version=10 os_bits=32 processor_bits=64", "", "memory=8GB"),
    Said("Not memory: a drive", "seedbank-01"),
    Said("Not memory: a setting of the firmware", "bench-26",
         f"memory=8GB secure_boot=able {_WINDOWS}", "", "memory=8GB secure_boot=on"),
    Said("Not memory: the system", "bench-27", f"memory=8GB {_NOTEBOOK} os=Merrow os_version=6", "",
         "memory=8GB 'os=Merrow >= 9'"),
    Said("Not memory: a security module", "bench-28",
         f"memory=8GB security_module=none shape=desktop {_WINDOWS}", "",
         "memory=8GB security_module=2.0"),
    Said("Not memory: a display", "bench-42", f"memory=8GB display=1366x768 {_WINDOWS}", "",
         "memory=8GB display=1920x1080"),
    Said("Replace: a 32-bit processor", "bench-29",
         "memory=2GB processor_bits=32 os=Windows os_version=7 os_bits=32 cores=1", "",
         "memory=4GB os_bits=64"),
    Said("Replace: cores, while memory is enough", "bench-30",
         f"memory=16GB {_NOTEBOOK} cores=2 {_WINDOWS}", "", "memory=8GB cores=4"),
    Said("Replace: soldered memory", "leaf-32",
         f"'memory=4GB,soldered' slots=0 {_NOTEBOOK} {_WINDOWS}", "", "memory=8GB"),
    Said("Replace: the board takes no more", "leaf-33",
         f"memory=4GB ceiling=4GB {_NOTEBOOK} {_WINDOWS}", "", "memory=8GB"),
    Said("Replace: several reasons", "ticket-desk-04"),
    Said("Undecided: the processor's name", "glasshouse-05"),
    Said("Undecided: nothing but memory is known", "bench-34", "memory=8GB", "",
         "memory=8GB cores=4"),
    Said("Undecided, and memory is short already", "bench-35",
         f"memory=4GB cores=4 storage_free=60GB {_NOTEBOOK} {_WINDOWS}"),
    Said("Undecided: free storage", "bench-36", f"memory=8GB cores=4 {_WINDOWS}", "",
         "memory=8GB storage_free=20GB"),
    Said("Undecided: a Mac", "studio-37", "os=macOS os_version=14", "", "memory=16GB"),
    Said("In doubt: two totals", "bench-38", "memory=8GB memory=16GB", "", "memory=12GB"),
    Said("Conflict: a program that is installed", "pump-house-06"),
    Said("Conflict: what no machine meets", "bench-43", f"memory=8GB {_WINDOWS}", "",
         "os_bits=32 memory=8GB 'architecture=arm64'"),
    Said("A 32-bit system with more than it sees", "bench-39",
         "memory=8GB os=Windows os_version=7 os_bits=32 processor_bits=64", "", "memory=4GB"),
)  # fmt: skip


def _words(text: str) -> list[str]:
    import shlex

    return shlex.split(text)


def answer(said: Said) -> Check:
    """The check that gives one answer."""
    known = vocabulary()
    if said.told:
        told = [one for word in _words(said.told) for one in parse_told(word, known)]
        machine = tell_all(Machine(SHEET_FORMAT, said.machine), told, known, "by a person")
        machine = with_findings(machine, known)
    else:
        machine = machine_of(str(_DEMO / "machines" / f"{said.machine}.machine.json"), [])
    parts = parts_list(str(_DEMO / "parts" / "garden.parts.csv"), known) if said.parts else None
    against = tuple(Wanted(word, [DEMO_FOLDER]).newest() for word in said.against.split())
    asked = tuple(map(needs_of, _words(said.asked)))
    installed = installed_here(machine, [DEMO_FOLDER])
    task = Task(against, instead=asked, installed=installed, parts=parts, on=_DAY)
    return check(machine, task, known)


def page() -> str:
    """All answers, each as the technician and as the caller reads it."""
    lines = [
        "# What it says",
        "",
        "Each kind of answer as it is read aloud: the answer, what to do, what it assumes; then",
        "the note for the person at the machine. Made by `python docs/messages.py`; the rules of",
        "the sentences stand in [style](style.md).",
    ]
    for said in ANSWERS:
        found = answer(said)
        asked = " and ".join(filter(None, [said.against, said.asked]))
        lines += ["", f"## {said.title}", "", f"{said.machine} against {asked}", "",
                  f"**{headline(found)}** {sentence(found)}"]  # fmt: skip
        for title, texts in sections(found):
            if title != "Support":
                lines += ["", f"{title}:", "", *(f"- {text}" for text in texts)]
        lines += ["", *(f"> {line}".rstrip() for line in note([found]).splitlines()[2:])]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page())
