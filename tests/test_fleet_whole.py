"""From the text of a list to the answer: fleet against check, with names, programs and models."""

import csv
import io
import json
import os
import random
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tallcheck.cli.inputs import installed_here
from tallcheck.core.board.models import with_model
from tallcheck.core.decide.asked import Chosen, asked_at
from tallcheck.core.decide.decision import decide
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.details import details_of
from tallcheck.core.fleet.judged import ANSWERS, fixes_of, judge_fleet
from tallcheck.core.fleet.known import find_doubts
from tallcheck.core.fleet.models import with_models
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.messages.conditions import conditions
from tallcheck.files.config import DEMO_FOLDER
from tallcheck.files.demo_data import demo_fleet
from tallcheck.files.fleet_file import read_fleet
from tallcheck.files.sheets import machine_from, machine_json, read_needs
from tallcheck.files.table import models_list
from tests.helpers import DEMO, VOCABULARY, asked, call, demo_machine
from tests.random_cases import random_sheet
from tests.test_fleet import random_fleet
from tests.test_fleet_files import MODELS, PARTS

COLUMNS: dict[str, list[str]] = {
    "memory": ["2 GB", "4 GB", "8 GB", "16 GB", "", "lots"],
    "modules": ["4GB,-", "2GB,2GB", "8GB,-", "2GB*", "", "lots,-"],
    "processor": ["Osier Wand S5 214", "Osier Wand S3 101", "Hazelwick Tern 1-12", "Sedge 9", ""],
    "cores": ["1", "2", "4", "", "some"],
    "threads": ["2", "4", "8", ""],
    "clock": ["1.2 GHz", "2.1 GHz", "2100 MHz", "", "fast"],
    "instructions": ["SSE4.2 POPCNT", "AVX2", "-AVX2 SSE4.2", "", "", ""],
    "processor_bits": ["64", "64", "32", ""],
    "shape": ["notebook", "desktop", "server", "", "lap"],
    "virtual": ["yes", "no", ""],
    "maker": ["Larkmoor", "Tolland & Pike", ""],
    "model": ["Bench 9", "Bench 28", "Satchel 14", ""],
    "storage": ["64 GB", "256 GB", "", "256"],
    "storage_free": ["8 GB", "60 GB", ""],
    "os": ["Merrow", "Other", ""],
    "os_version": ["6", "9", "10", ""],
    "os_bits": ["32", "64", "64", ""],
    "software": ["Mistwright 2", "Plotmarrow 2", "Mistwright 2; Gatepenny 3", "", ""],
}
NEEDS = ("merrow", "plotmarrow", "fernfolio", "mistwright", "gatepenny")


def _installed(machine: Machine) -> tuple[Chosen, ...]:
    return installed_here(machine, [])


def listed(tmp_path: Path, rng: random.Random, size: int, models: bool) -> FleetFile:
    """A random list as it would be read by the command."""
    names = sorted(rng.sample(list(COLUMNS), rng.randint(6, len(COLUMNS))))
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["name", *names])
    for at in range(size):
        writer.writerow([f"m{at}", *(rng.choice(COLUMNS[name]) for name in names)])
    path = tmp_path / "list.csv"
    path.write_text(out.getvalue())
    found = read_fleet(str(path), {}, True, VOCABULARY)
    if models:
        with_models(found.fleet, models_list(MODELS, VOCABULARY))
    found.fleet.doubts = found.fleet.doubts | find_doubts(found.fleet)
    return found


@pytest.mark.parametrize("seed", [1085, 2001, 2004, 2010, 2017, 2023, 2031, 2040])
def test_many_machines_come_to_what_each_comes_to(seed: int) -> None:
    fleet = random_fleet(random.Random(seed), 40)
    sheet = random_sheet(random.Random(seed * 7 + 1), count=4)
    needs = asked_at((sheet,), "minimum") or []
    judged = judge_fleet(fleet, needs, (sheet,))
    for at in range(len(fleet)):
        decision = decide(normalized(fleet.machine(at), VOCABULARY), needs, (sheet,)).decision
        found = (judged.answer(at), bool(judged.stuck[at]))
        assert found == (decision.answer, bool(decision.conflicts)), at


@pytest.mark.parametrize("minimum", [
    # beside another way, or where it ends a condition, memory rests on the board all the same
    '[[minimum.any]]\nmemory = "8 GB"\n[[minimum.any]]\ncores = 8\n',
    '[[minimum.also]]\nwhen = {memory = "<= 7 GB"}\ncores = 8\n', '[minimum]\nmemory = "8 GB"\n',
])  # fmt: skip
def test_the_board_counts_in_every_need_for_memory(minimum: str, tmp_path: Path) -> None:
    head = 'tallcheck = "needs/1"\ntitle = "A"\nkind = "program"\nread_on = 2026-09-04\n'
    (tmp_path / "a.needs.toml").write_text(f'{head}source = "https://example.org/a"\n{minimum}')
    boards = [('"4GB,-"', "4 GB"), ('"4GB,-"', "16 GB"), ("4GB*", "16 GB"), ('"4GB*,-"', "16 GB")]
    rows = [f"m{at},4 GB,{modules},{ceiling},4,64,64,notebook"
            for at, (modules, ceiling) in enumerate(boards)]  # fmt: skip
    head = "name,memory,modules,ceiling,cores,os_bits,processor_bits,shape"
    (tmp_path / "f.csv").write_text("\n".join([head, *rows]) + "\n")
    ran = call("fleet", "f.csv", "a.needs.toml", "--save", "out.jsonl", "--quiet", cwd=tmp_path)
    assert ran.code == 0
    lines = (tmp_path / "out.jsonl").read_text().splitlines()
    answers = [json.loads(line)["answer"] for line in lines]
    assert answers == ["replace", "memory-alone", "replace", "memory-alone"]


@pytest.mark.parametrize("seed", range(8))
def test_a_list_is_judged_as_its_machines_sheets_are(tmp_path: Path, seed: int) -> None:
    rng = random.Random(1000 + seed)
    file = listed(tmp_path, rng, 40, models=seed % 2 == 0)
    fleet = file.fleet
    assert len(fleet) == 40
    assert file.unreadable == []
    for names in (rng.sample(NEEDS, 1), rng.sample(NEEDS, 2)):
        sheets = [read_needs(f"{DEMO_FOLDER}/{name}.needs.toml", VOCABULARY) for name in names]
        against = tuple(Chosen(sheet, rng.choice(sheet.releases)) for sheet in sheets)
        needs = asked_at(against, "minimum") or []
        judged = judge_fleet(fleet, needs, against, _installed)
        fixes = fixes_of(judged)
        details = details_of(judged, fixes)
        for at in range(len(fleet)):
            # through a file, as somebody would keep the sheet
            sheet = machine_from(machine_json(fleet.machine(at)), "sheet")
            verdict = decide(normalized(sheet, VOCABULARY), needs, against, _installed(sheet))
            decision = verdict.decision
            place = int(details.limiting[at])
            target = fixes.targets[at]
            own = details.verdicts[details.kinds[at]].decision
            found = (
                ANSWERS[judged.answers[at]],
                needs[place].need.key if place >= 0 else None,
                None if np.isnan(target) else int(target),
                conditions(details.verdicts[details.kinds[at]]), own.find_out,
                bool(own.conflicts),
            )  # fmt: skip
            assert found == (
                decision.answer, decision.limiting, decision.target_memory, conditions(verdict),
                decision.find_out, bool(decision.conflicts),
            ), (sheet, names)  # fmt: skip


def test_every_cell_of_a_list_is_read_or_listed(tmp_path: Path) -> None:
    rng = random.Random(5)
    file = listed(tmp_path, rng, 60, models=False)
    rows = list(csv.DictReader(io.StringIO((tmp_path / "list.csv").read_text())))
    faulty = {(one.column, int(at)) for one in file.faults for at in one.rows}
    bad = {"lots", "lots,-", "Other", "some", "fast", "lap", "256"}
    for at, row in enumerate(rows):
        for column, cell in row.items():
            assert ((column, at) in faulty) == (cell in bad), (column, cell)


# --- the demo's list -----------------------------------------------------------------------


def test_the_demos_list_is_the_same_each_time_and_has_its_faults() -> None:
    data = demo_fleet()
    assert data == demo_fleet()
    text = data.decode()
    rows = list(csv.DictReader(text.splitlines()[1:]))
    assert 238 <= len(rows) <= 242
    memory = [row["memory"] or "" for row in rows]
    assert sum(cell.isdigit() for cell in memory) == 4
    assert sum(cell.endswith("4 GB") and len(cell) > 6 for cell in memory) >= 1
    names = [row["name"] for row in rows]
    assert sum(names.count(name) > 1 for name in set(names)) == 1
    assert names.count("") == 1
    assert any(row["shape"] == "trolley" for row in rows)
    swapped = [row for row in rows if row["cores"] and row["threads"]
               and int(row["threads"]) < int(row["cores"])]  # fmt: skip
    assert len(swapped) >= 4
    blank = sum(not cell for row in rows for cell in row.values() if cell is not None)
    assert blank > 300


def test_nothing_real_is_named_in_the_demos_lists() -> None:
    text = demo_fleet().decode()
    for line in text.splitlines()[2:]:
        assert any(maker in line for maker in ("Larkmoor", "Tolland & Pike", "archive-99"))


# --- upgrade and confirm as commands -------------------------------------------------------


def test_a_models_list_completes_a_telephone_sheet() -> None:
    words = ("upgrade", demo_machine("glasshouse-05"), "--to", "16GB", "--parts", PARTS)
    bare = call(*words, "--format", "json").json()
    listed_too = call(*words, "--models", MODELS, "--format", "json").json()
    assert bare["add"][0]["part"] is None
    assert "memory.type" not in json.dumps(listed_too["conditions"])
    assert listed_too["add"][0]["part"] == "LM-S4-8-slow"
    assert len(listed_too["conditions"]) < len(bare["conditions"])


def test_ample_use_is_said_before_any_part(tmp_path: Path) -> None:
    from tallcheck.files.demo_data import demo_log

    (tmp_path / "log.csv").write_bytes(demo_log("ordinary-day"))
    ran = call("upgrade", demo_machine("potting-02"), "--to", "8GB", "--usage",
              str(tmp_path / "log.csv"))  # fmt: skip
    first = ran.out.splitlines()[0]
    assert first.startswith("Nothing to buy for the way it is used")
    assert "Buy 1 × 4 GB" in ran.out


@pytest.mark.parametrize(
    ("logs", "text"),
    [
        (("swapping", "after-the-upgrade"), "It helped"),
        (("full-cache", "after-the-upgrade"), "was not short before"),
        (("ten-minutes", "after-the-upgrade"), "too few like hours"),
    ],
)
def test_usage_before_and_after(tmp_path: Path, logs: tuple[str, str], text: str) -> None:
    from tallcheck.files.demo_data import demo_log

    for name in logs:
        (tmp_path / f"{name}.csv").write_bytes(demo_log(name))
    after = f"{DEMO}/after/potting-02.machine.json"
    ran = call("confirm", demo_machine("potting-02"), after, "--usage",
              *(f"{name}.csv" for name in logs), cwd=tmp_path)  # fmt: skip
    assert (ran.code, ran.err) == (0, "")
    assert text in " ".join(ran.out.split())


def test_a_log_of_another_machine_is_refused(tmp_path: Path) -> None:
    from tallcheck.files.demo_data import demo_log

    mine, other, nobody = (tmp_path / f"{name}.csv" for name in ("mine", "other", "nobody"))
    mine.write_bytes(demo_log("swapping"))
    other.write_bytes(demo_log("swapping").replace(b"potting-02", b"archive-10"))
    nobody.write_bytes(demo_log("swapping").partition(b"\n")[2])
    sheet = demo_machine("potting-02")
    for words in (["check", sheet, "merrow@9"], ["upgrade", sheet, "--to", "8GB"]):
        assert call(*words, "--usage", str(mine)).code == 0
        ran = call(*words, "--usage", str(other))
        assert (ran.code, "found a log of archive-10; expected one of potting-02" in ran.err) == (
            3, True,
        )  # fmt: skip
        told = " ".join(call(*words, "--usage", str(nobody)).out.lower().split())
        assert "the usage log does not tell of which machine it is" in told
    # and so is a log with other memory than the machine has
    after = f"{DEMO}/after/potting-02.machine.json"
    ran = call("confirm", sheet, after, "--usage", str(mine), str(mine))
    assert (ran.code, "a machine with 3.7 GB" in ran.err) == (3, True)


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [
        (["confirm", demo_machine("potting-02")], 2, "AFTER"),
        (["confirm", "-", "-"], 2, "standard input"),
        (["confirm", demo_machine("potting-02"), "nowhere.json"], 3, "nowhere.json"),
        (["upgrade", demo_machine("potting-02"), "--to", "8GB", "--for", "merrow"], 2, "--for"),
        (["upgrade", demo_machine("potting-02"), "--to", "8GB", "--parts", "none.csv"], 3,
         "none.csv"),
        (["upgrade", demo_machine("potting-02"), "--to", "8GB", "--models", PARTS], 3,
         "unknown column"),
        (["fleet", "nowhere.csv", "merrow@10"], 3, "nowhere.csv"),
        (["fleet", "nowhere.parquet", "merrow@10"], 3, "nowhere.parquet"),
        (["fleet", "nowhere.csv"], 2, "NEEDS"),
    ],
)  # fmt: skip
def test_wrong_words(words: list[str], code: int, text: str) -> None:
    ran = call(*words)
    assert ran.code == code
    assert text in ran.err
    assert "Traceback" not in ran.err


def test_a_fleet_may_come_through_a_pipe() -> None:
    ran: Any = call("fleet", "-", "merrow@10", "--quiet", stdin=demo_fleet())
    assert ran.code == 0
    assert ran.out.startswith("Of 238 machines")


def test_an_output_that_cannot_be_written_loses_nothing(tmp_path: Path) -> None:
    (tmp_path / "f.csv").write_text("name,memory\na,8 GB\n")
    ran = call("fleet", "f.csv", "merrow@10", "--save", "no/such/folder.csv", cwd=tmp_path)
    assert ran.code == 4
    assert "no/such/folder.csv" in ran.err
    assert sorted(path.name for path in tmp_path.iterdir()) == ["f.csv"]


def test_a_condition_on_a_plain_reading_tells_classes_apart(tmp_path: Path) -> None:
    (tmp_path / "w.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "W"\nkind = "program"\n[minimum]\nmemory = "4 GB"\n'
        '[[minimum.also]]\nwhen = {"storage.drive" = ">= 500 GB"}\ncores = 8\n'
    )
    (tmp_path / "f.csv").write_text(
        "name,memory,cores,storage\na,8 GB,4,100 GB\nb,8 GB,4,900 GB\nc,8 GB,4,500 GB\n"
    )
    ran = call("fleet", "f.csv", "w.needs.toml", "--save", "o.csv", "--quiet", cwd=tmp_path)
    assert ran.code == 0
    rows = list(csv.DictReader((tmp_path / "o.csv").read_text().splitlines()))
    answers = [row["answer"] for row in rows]
    assert answers[0] == "ready"
    assert "ready" not in answers[1:]


@pytest.mark.parametrize(
    ("words", "text"),
    [(["--need", "memory=6GB"], "Of 12 machines, 6 are ready for what was asked for"),
     (["merrow@10", "--need", "memory=64GB"], "1 is ready for Merrow 10"),
     (["merrow@10", "--level", "recommended"], "3 are ready for Merrow 10")],
)  # fmt: skip
def test_a_fleet_takes_needs_and_levels_as_a_check_does(words: list[str], text: str) -> None:
    folder = f"{DEMO}/machines"
    assert text in call("fleet", folder, *words, "--quiet").out
    answers = [
        call("check", f"{folder}/{name}", *words, "--quiet").out.strip()
        for name in sorted(os.listdir(folder))
    ]
    ready = call("fleet", folder, *words, "--format", "json").json()["answers"]["ready"]
    assert ready == answers.count("ready")


def test_memory_has_a_price_where_no_list_prices_it() -> None:
    words = ["fleet", f"{DEMO}/machines", "merrow@10", "--format", "json", "--price", "machine=600"]
    bare, told, both = (
        call(*words, *more).json()["costs"]
        for more in ([], ["--price", "memory=30"], ["--price", "memory=30", "--parts", PARTS])
    )
    assert bare != told
    assert told["memory-alone"]["cost"] == 4 * 30
    assert both["memory-alone"]["cost"] != 4 * 30  # the list prices it


@pytest.mark.parametrize(
    ("words", "text"),
    [(["fleet", "x.csv"], "NEEDS or --need"),
     (["check", "x", "--hvae", "a"], "nearest known: '--have'"),
     (["chek"], "nearest known: 'check'")],
)  # fmt: skip
def test_wrong_usage_gets_the_nearest(words: list[str], text: str) -> None:
    ran = call(*words)
    assert (ran.code, text in ran.err) == (2, True)


def test_what_an_answer_rests_on_is_told_of_each_machine_by_itself(tmp_path: Path) -> None:
    rows = [("8 GB", "", "32", "Windows", "10"), ("4 GB", "3.2 GB", "32", "Windows", "10"),
            ("4 GB", "", "32", "Windows", "10"), ("", "7.8 GB", "", "Windows", "11"),
            ("", "7.8 GB", "", "Windows", "12"), ("8 GB", "", "", "", ""),
            ("", "7.8 GB", "", "", ""), ("128 GB", "127 GB", "", "", "")]  # fmt: skip
    lines = [",".join((f"m{at}", *row)) for at, row in enumerate(rows)]
    head = "name,memory.installed,memory.usable,system.os_bits,system.os,system.os_version"
    (tmp_path / "f.csv").write_text("\n".join([head, *lines]) + "\n")
    needs = ("--need", "memory=16GB", "--need", "os_bits=64")
    for wanted in (needs, needs[:2], ("--need", "memory=256GB")):
        ran = call("fleet", "f.csv", *wanted, "--save", "out.jsonl", cwd=tmp_path)
        assert ran.code == 0
        listed = map(json.loads, (tmp_path / "out.jsonl").read_text().splitlines())
        for at, (row, found) in enumerate(zip(rows, listed, strict=True)):
            told = [f"{key}={value}" for key, value in zip(head.split(",")[1:], row, strict=True)]
            sheet = call("describe", f"m{at}", *told).out.encode()
            alone = call("check", "-", *wanted, "--format", "json", stdin=sheet).json()["decision"]
            assert found["answer"] == alone["answer"]
            assert found["conditions"] == "; ".join(alone["conditions"]), row


@pytest.mark.parametrize(("memory", "own"), [("8GB", "14GB"), ("8GB", "2GB"), ("16GB", "12GB")])
def test_a_target_that_rests_on_unknown_use_is_each_machines_own(
    memory: str, own: str, tmp_path: Path
) -> None:
    (tmp_path / "f").mkdir()
    lines = ["name,memory.installed,memory.slots,memory.position_most,system.os_bits"]
    boards = [(size, slots, most) for size in (2, 4, 6, 8, 12, 64) for slots in ("", "2", "4")
              for most in ("", "8 GB", "16 GB")]  # fmt: skip
    for at, (size, slots, most) in enumerate(boards):
        lines.append(f"m{at},{size} GB,{slots},{most},64")
        told = {"installed": f"{size} GB", "slots": int(slots or -1), "position_most": most}
        known = {key: value for key, value in told.items() if value not in ("", -1)}
        sheet = {"tallcheck": "machine/1", "name": f"m{at}", "system": {"os_bits": 64},
                 "memory": known}  # fmt: skip
        (tmp_path / "f" / f"m{at}.machine.json").write_text(json.dumps(sheet))
    (tmp_path / "f.csv").write_text("\n".join(lines) + "\n")
    found = []
    for machines in ("f.csv", "f"):
        ran = call("fleet", machines, "--need", f"memory={memory}", "--need", f"memory_own={own}",
                  "--save", "out.jsonl", "--force", cwd=tmp_path)  # fmt: skip
        assert ran.code == 0
        rows = map(json.loads, (tmp_path / "out.jsonl").read_text().splitlines())
        found.append({row["name"]: (row["answer"], row["target_memory"]) for row in rows})
    assert found[0] == found[1]
    assert all(target is None for answer, target in found[0].values() if answer == "undecided")


def test_what_is_in_doubt_comes_to_the_same_in_a_list(tmp_path: Path) -> None:
    """By the values of each machine's own sources, the models list among them."""
    head = "name,maker,model,memory.installed,memory.usable,modules,ceiling,cores,threads"
    rows = [
        f"Quern,Bench 4,{size} GB,{usable},{modules},{most},{cores},{threads}"
        for size in (4, 8)
        for usable in ("", "15.8 GB")
        for modules in ("", "8GB;8GB")
        for most in ("", "6 GB", "64 GB")
        for cores, threads in ((4, 8), (8, 4), (6, 2))
    ]
    lines = [f"m{at},{row}" for at, row in enumerate(rows)]
    (tmp_path / "f.csv").write_text("\n".join([head, *lines]) + "\n")
    (tmp_path / "m.csv").write_text("maker,model,ceiling\nQuern,Bench 4,16 GB\n")
    wanted = ["--need", "memory=6GB", "--need", "cores=5", "--models", "m.csv"]
    ran = call("fleet", "f.csv", *wanted, "--save", "out.jsonl", "--force", cwd=tmp_path)
    assert ran.code == 0
    found = map(json.loads, (tmp_path / "out.jsonl").read_text().splitlines())
    file = read_fleet(str(tmp_path / "f.csv"), {}, True, VOCABULARY)
    models = models_list(str(tmp_path / "m.csv"), VOCABULARY)
    needs = asked(memory="6 GB", cores=5)
    for at, row in enumerate(found):
        there = with_model(file.fleet.machine(at), models)
        verdict = decide(normalized(there, VOCABULARY), needs)
        decision = verdict.decision
        assert (row["answer"], row["target_memory"], row["find_out"].split()) == (
            decision.answer, decision.target_memory, list(decision.find_out)
        ), lines[at]  # fmt: skip
        assert row["conditions"] == "; ".join(conditions(verdict)), lines[at]
        assert [row["memory_status"], row["cores_status"]] == [r.status for r in verdict.rows]
