"""Processor names: real ones, one for each trap of the makers' numbering, and the made-up ones."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.instructions import (
    canonical,
    from_flags,
    highest_level,
    implied,
    told_sets,
)
from tallcheck.core.machine.vocabulary import vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import checked, read_names
from tests.helpers import X86_FLAGS, run

# name, line, generation, and whether its number is a generation ahead of its design
NAMES = [
    ("Intel(R) Core(TM) i7 CPU         920  @ 2.67GHz", "Core", 1, False),
    ("Intel(R) Core(TM) i5 CPU       M 520  @ 2.40GHz", "Core", 1, False),
    ("Intel(R) Core(TM) i7 CPU       Q 720  @ 1.60GHz", "Core", 1, False),
    ("Intel(R) Core(TM) i7 CPU       X 980  @ 3.33GHz", "Core", 1, False),
    ("Intel(R) Core(TM) i3 CPU         540  @ 3.07GHz", "Core", 1, False),
    ("Intel(R) Core(TM) i7-2600K CPU @ 3.40GHz", "Core", 2, False),
    ("Intel(R) Core(TM) i7-4770 CPU @ 3.40GHz", "Core", 4, False),
    ("Intel(R) Core(TM) i3-4005U CPU @ 1.70GHz", "Core", 4, False),
    ("Intel(R) Core(TM) i7-5600U CPU", "Core", 5, False),
    ("Intel(R) Core(TM) i7-6700HQ CPU", "Core", 6, False),
    ("Intel(R) Core(TM) i5-8265U CPU @ 1.60GHz", "Core", 8, False),
    ("Intel(R) Core(TM) i7-8086K CPU", "Core", 8, False),
    ("Intel(R) Core(TM) i9-9980HK CPU", "Core", 9, False),
    ("Intel(R) Core(TM) i7-3960X CPU @ 3.30GHz", "Core", 3, True),
    ("Intel(R) Core(TM) i7-3930K CPU @ 3.20GHz", "Core", 3, True),
    ("Intel(R) Core(TM) i7-5820K CPU", "Core", 5, True),
    ("Intel(R) Core(TM) i5-1035G1 CPU @ 1.00GHz", "Core", 10, False),
    ("Intel(R) Core(TM) i3-10100 CPU @ 3.60GHz", "Core", 10, False),
    ("Intel(R) Core(TM) i5-10210U CPU @ 1.60GHz", "Core", 10, False),
    ("11th Gen Intel(R) Core(TM) i5-1135G7 @ 2.40GHz", "Core", 11, False),
    ("11th Gen Intel(R) Core(TM) i7-11800H @ 2.30GHz", "Core", 11, False),
    ("12th Gen Intel(R) Core(TM) i5-1240P", "Core", 12, False),
    ("13th Gen Intel(R) Core(TM) i5-1335U", "Core", 13, False),
    ("Intel(R) Core(TM) i9-14900HX", "Core", 14, False),
    ("Intel(R) Core(TM) m3-6Y30 CPU @ 0.90GHz", "Core", 6, False),
    ("Intel(R) Core(TM) i5-7Y54 CPU @ 1.20GHz", "Core", 7, False),
    ("Intel(R) Core(TM) i5-8210Y CPU @ 1.60GHz", "Core", 8, False),
    ("Intel(R) Core(TM) m3-8100Y CPU", "Core", 8, False),
    ("Intel(R) Core(TM) M-5Y10c CPU @ 0.80GHz", "Core", 5, False),
    ("Intel(R) Core(TM) i3-N305", "Core i3-N", None, False),
    ("Intel(R) Core(TM) Ultra 7 155H", "Core Ultra", 1, False),
    ("Intel(R) Core(TM) Ultra 5 226V", "Core Ultra", 2, False),
    ("Intel(R) Core(TM) Ultra 9 285K", "Core Ultra", 2, False),
    ("Intel(R) Core(TM) 7 150U", "Core series", 1, False),
    ("Intel(R) Core(TM) 5 220H", "Core series", 2, False),
    ("Intel(R) Core(TM)2 Duo CPU     E8400  @ 3.00GHz", "Core 2", None, False),
    ("Intel(R) Pentium(R) CPU G4560 @ 3.50GHz", "Pentium", None, False),
    ("Intel(R) Celeron(R) N4020 CPU @ 1.10GHz", "Celeron", None, False),
    ("Intel(R) Atom(TM) x5-Z8350  CPU @ 1.44GHz", "Atom", None, False),
    ("Intel(R) N100", "Intel N", None, False),
    ("Intel(R) Xeon(R) CPU E3-1230 v3 @ 3.30GHz", "Xeon E3/E5/E7", 3, False),
    ("Intel(R) Xeon(R) CPU E5-2670 0 @ 2.60GHz", "Xeon E3/E5/E7", 1, False),
    ("Intel(R) Xeon(R) CPU E5-2680 v4 @ 2.40GHz", "Xeon E3/E5/E7", 4, False),
    ("Intel(R) Xeon(R) Gold 6130 CPU @ 2.10GHz", "Xeon Scalable", 1, False),
    ("Intel(R) Xeon(R) Silver 4214R CPU", "Xeon Scalable", 2, False),
    ("Intel(R) Xeon(R) E-2236 CPU", "Xeon E", 2, False),
    ("Intel(R) Xeon(R) CPU           X5650  @ 2.67GHz", "Xeon", None, False),
    ("AMD Ryzen 7 1700 Eight-Core Processor", "Ryzen", 1, False),
    ("AMD Ryzen 5 2500U with Radeon Vega Mobile Gfx", "Ryzen", 2, True),
    ("AMD Ryzen 3 2200G with Radeon Vega Graphics", "Ryzen", 2, True),
    ("AMD Ryzen 5 3600 6-Core Processor", "Ryzen", 3, False),
    ("AMD Ryzen 5 3500U with Radeon Vega Mobile Gfx", "Ryzen", 3, True),
    ("AMD Ryzen 5 PRO 4650U with Radeon Graphics", "Ryzen", 4, True),
    ("AMD Ryzen 7 5700U with Radeon Graphics", "Ryzen", 5, True),
    ("AMD Ryzen 7 5800U with Radeon Graphics", "Ryzen", 5, False),
    ("AMD Ryzen 7 5800X3D 8-Core Processor", "Ryzen", 5, False),
    ("AMD Ryzen 5 PRO 5650G", "Ryzen", 5, False),
    ("AMD Ryzen 7 6800H with Radeon Graphics", "Ryzen", 6, False),
    ("AMD Ryzen 5 7520U with Radeon Graphics", "Ryzen", 7, True),
    ("AMD Ryzen 7 7735HS with Radeon Graphics", "Ryzen", 7, True),
    ("AMD Ryzen 7 7840U w/ Radeon 780M Graphics", "Ryzen", 7, False),
    ("AMD Ryzen 9 7950X3D 16-Core Processor", "Ryzen", 7, False),
    ("AMD Ryzen 7 8700G w/ Radeon 780M Graphics", "Ryzen", 8, True),
    ("AMD Ryzen 7 8840U w/ Radeon 780M Graphics", "Ryzen", 8, True),
    ("AMD Ryzen 9 9950X 16-Core Processor", "Ryzen", 9, False),
    ("AMD Ryzen AI 9 HX 370 w/ Radeon 890M", "Ryzen AI", 3, False),
    ("AMD RYZEN AI MAX+ PRO 395 w/ Radeon 8060S", "Ryzen AI", 3, False),
    ("AMD Ryzen Threadripper 3970X 32-Core Processor", "Ryzen Threadripper", 3, False),
    ("AMD Ryzen Threadripper PRO 5975WX 32-Cores", "Ryzen Threadripper", 5, False),
    ("AMD EPYC 7302 16-Core Processor", "EPYC", 2, False),
    ("AMD EPYC 9654 96-Core Processor", "EPYC", 4, False),
    ("AMD EPYC 9575F 64-Core Processor", "EPYC", 5, False),
    ("AMD FX(tm)-8350 Eight-Core Processor", "FX", None, False),
    ("AMD Athlon(tm) II X2 250 Processor", "Athlon", None, False),
    ("AMD Phenom(tm) II X4 955 Processor", "Phenom", None, False),
    ("AMD A8-7600 Radeon R7, 10 Compute Cores 4C+6G", "A-Series", None, False),
    ("AMD E-450 APU with Radeon(tm) HD Graphics", "E-Series", None, False),
    ("Apple M1", "Apple M", 1, False),
    ("Apple M3 Max", "Apple M", 3, False),
    ("Snapdragon(R) X Elite - X1E78100 - Qualcomm(R) Oryon(TM) CPU", "Snapdragon X", 1, False),
    ("Intel Core i7 9xx (Nehalem Class Core i7)", None, None, False),
    ("Intel Core Processor (Haswell)", None, None, False),
    ("Osier Wand S5 214", "Osier Wand", 5, False),
    ("Hazelwick Tern 4-88", "Hazelwick Tern", 4, False),
]


@pytest.mark.parametrize(("name", "line", "generation", "ahead"), NAMES)
def test_names(name: str, line: str | None, generation: int | None, ahead: bool) -> None:
    found = vocabulary().processors.named(name)
    if line is None:
        assert found is None
        return
    assert found is not None
    assert (found.line, found.generation) == (line, generation)
    assert ("ahead" in found.note) == ahead


@given(st.text(max_size=300))
def test_any_name_is_taken(name: str) -> None:
    vocabulary().processors.named(name)


@pytest.mark.parametrize(
    ("text", "part"),
    [
        ("[[rule]]", "missing required"),
        ("rule = 4", "naming rules"),
        ('[[rule]]\npattern = "("\nmaker = "x"\nline = "y"', "regular expression"),
        ('[[rule]]\npattern = "x"\nmaker = "x"\nline = "y"\nlevels = {1 = "v3"}', "levels"),
    ],
)
def test_bad_rules_are_one_clear_error(tmp_path: Path, text: str, part: str) -> None:
    path = tmp_path / "processors.toml"
    path.write_text(text)
    with pytest.raises(InputError, match=part):
        checked(read_names(str(path))[0], str(path))


def test_a_users_rules_come_first(tmp_path: Path) -> None:
    rule = '[[rule]]\npattern = "Osier"\nmaker = "Mine"\nline = "My line"\ngeneration = 7\n'
    (tmp_path / "processors.toml").write_text(rule)
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    sheet = run("describe", "x", "processor=Osier Wand S5 214", env=env).json()
    assert (sheet["processor"]["line"], sheet["processor"]["generation"]) == ("My line", 7)
    (tmp_path / "processors.toml").write_text("rule = 4")
    assert run("describe", "x", "processor=Osier Wand S5 214", env=env).code == 3


@pytest.mark.parametrize(
    ("spelling", "name"),
    [("sse4_2", "SSE4.2"), ("SSE 4.2", "SSE4.2"), ("pni", "SSE3"), ("cx16", "CMPXCHG16B"),
     ("abm", "LZCNT"), ("AES-NI", "AES"), ("avx-512f", "AVX512F"), ("neon", "ASIMD"),
     ("asimddp", "DotProd"), ("lahf_lm", "LAHF-SAHF"), ("sha_ni", "SHA"), ("avx_vnni", "AVX-VNNI"),
     ("constant_tsc", None), ("", None)],
)  # fmt: skip
def test_spellings_of_instruction_sets(spelling: str, name: str | None) -> None:
    assert canonical(spelling) == name


V3 = X86_FLAGS + " avx avx2 bmi1 bmi2 f16c fma abm movbe xsave"


@pytest.mark.parametrize(
    ("flags", "bits", "level"),
    [
        (X86_FLAGS, 64, "x86-64-v2"),
        (X86_FLAGS, 32, None),
        (X86_FLAGS.replace(" syscall", ""), 64, "x86-64-v2"),
        (X86_FLAGS.replace("popcnt", ""), 64, "x86-64-v1"),
        (X86_FLAGS.replace("fxsr", ""), 64, None),
        (V3, 64, "x86-64-v3"),
        (V3.replace("movbe", ""), 64, "x86-64-v2"),
        (V3 + " avx512f avx512bw avx512cd avx512dq avx512vl", 64, "x86-64-v4"),
        ("", 64, None),
    ],
)
def test_levels(flags: str, bits: int, level: str | None) -> None:
    assert highest_level(from_flags(flags.split()), bits) == level


def test_implications_reach_down_and_told_sets_are_checked() -> None:
    assert {"SSE4.2", "POPCNT", "SSE", "AVX"} <= set(implied(["AVX2"]))
    assert "SSE2" not in implied(["AES"], "arm64")
    assert told_sets(["-avx2", "sse4_2"]) == ["-AVX2", "SSE4.2"]
    with pytest.raises(InputError, match="AVX2"):
        told_sets(["AVX22"])
