"""Processor names: real ones, one for each trap of the makers' numbering, and the made-up ones."""

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.instructions import (
    canonical,
    from_flags,
    highest_level,
    implied,
    told_sets,
)
from tallcheck.core.machine.names import normal_name
from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import checked, read_names
from tests.helpers import VOCABULARY, X86_FLAGS, call, machine, run

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
    found = VOCABULARY.processors.named(name)
    if line is None:
        assert found is None
        return
    assert found is not None
    assert (found.line, found.generation) == (line, generation)
    assert ("ahead" in found.note) == ahead


# as makers, hypervisors and people write them: name, line ("" where it tells none), generation
AS_WRITTEN: list[tuple[str, str, int | None]] = [
    ("Intel(R) Core(TM) i5-1038NG7 CPU @ 2.00GHz", "Core", 10),
    ("Intel(R) Core(TM) i7-1068NG7 CPU @ 2.30GHz", "Core", 10),
    ("Intel(R) Core(TM) i3-1000NG4 CPU @ 1.10GHz", "Core", 10),
    ("Intel(R) Core(TM) i5-L16G7 CPU @ 1.40GHz", "Core", 10),
    ("Intel(R) Core(TM) 3 N350", "Core i3-N", None),
    ("Intel(R) Processor N97", "Intel N", None),
    ("Intel(R) U300", "Intel U", None),
    ("Intel(R) Core(TM)2 CPU 6600 @ 2.40GHz", "Core 2", None),
    ("Intel(R) Core(TM)2 Duo CPU T7200 @ 2.00GHz", "Core 2", None),
    ("T7200", "Core 2", None),
    ("Intel(R) Core(TM)2 Quad CPU Q6600 @ 2.40GHz", "Core 2", None),
    ("Genuine Intel(R) CPU T2300 @ 1.66GHz", "Core Duo", None),
    ("Intel(R) Core(TM) Duo CPU T2400 @ 1.83GHz", "Core Duo", None),
    ("AMD EPYC 7H12 64-Core Processor", "EPYC", 2),
    ("AMD EPYC 72F3 8-Core Processor", "EPYC", 3),
    ("AMD EPYC 9R14", "EPYC", 4),
    ("AMD EPYC 7R32", "EPYC", 2),
    ("AMD EPYC 7R13 Processor", "EPYC", 3),
    ("AMD EPYC 8324P 32-Core Processor", "EPYC", 4),
    ("AMD EPYC 4464P 12-Core Processor", "EPYC", 4),
    ("AMD EPYC 3251 8-Core Processor", "EPYC", 1),
    ("AMD EPYC Processor (with IBPB)", "EPYC", None),
    ("AMD EPYC-Rome Processor", "EPYC", 2),
    ("AMD EPYC-Milan Processor", "EPYC", 3),
    ("QEMU Virtual CPU version 2.5+", "", None),
    ("Common KVM processor", "", None),
    ("Intel Xeon Processor (Skylake, IBRS)", "Xeon Scalable", None),
    ("Intel Core Processor (Haswell, no TSX)", "", None),
    ("Intel Xeon E312xx (Sandy Bridge)", "Xeon E3/E5/E7", None),
    ("Westmere E56xx/L56xx/X56xx (Nehalem-C)", "Xeon", None),
    ("AMD 3020e with Radeon Graphics", "AMD 3000", None),
    ("AMD G-T56N Processor", "G-Series", None),
    ("AMD GX-412TC SOC", "G-Series", None),
    ("Snapdragon (TM) 7c @ 2.40 GHz", "Snapdragon 7c", 1),
    ("Snapdragon (TM) 7c Gen 2 @ 2.55 GHz", "Snapdragon 7c", 2),
    ("Qualcomm(R) Snapdragon(TM) 7c+ Gen 3", "Snapdragon 7c", 3),
    ("Snapdragon (TM) 8cx @ 2.84 GHz", "Snapdragon 8cx", 1),
    ("Snapdragon (TM) 8cx Gen 3 @ 3.0 GHz", "Snapdragon 8cx", 3),
    ("Microsoft SQ2 @ 3.15 GHz", "Microsoft SQ", 2),
    ("Microsoft SQ1 @ 3.0 GHz", "Microsoft SQ", 1),
    ("Snapdragon(R) X Plus - X1P64100 - Qualcomm(R) Oryon(TM) CPU", "Snapdragon X", 1),
    ("Snapdragon(R) X 12-core X1E80100 @ 3.40 GHz", "Snapdragon X", 1),
    ("VIA Nano processor U2250 (1.6GHz Capable)", "Nano", None),
    ("VIA C7-M Processor 1600MHz", "C7", None),
    ("VIA Eden X4 C4250", "Eden", None),
    ("ZHAOXIN KaiXian KX-6640MA@2.2+GHz", "KaiXian", None),
    ("ZHAOXIN KaiXian KX-U6780A@2.7GHz", "KaiXian", None),
    ("Hygon C86 7185 32-core Processor", "Hygon C86", None),
    ("AMD Ryzen 7 260 w/ Radeon 780M Graphics", "Ryzen series", 2),
    ("AMD Ryzen 7 170 w/ Radeon 680M", "Ryzen series", 1),
    ("AMD Ryzen AI 7 350 w/ Radeon 860M", "Ryzen AI", 3),
    ("AMD Ryzen Z1 Extreme", "Ryzen Z", 1),
    ("Intel(R) Xeon(R) W-2123 CPU @ 3.60GHz", "Xeon W", 1),
    ("Intel(R) Xeon(R) W-1290P CPU @ 3.70GHz", "Xeon W", 1),
    ("Intel(R) Xeon(R) w5-2445X", "Xeon W", 4),
    ("Intel(R) Xeon(R) w9-3495X", "Xeon W", 4),
    ("Intel(R) Xeon(R) W-3365 CPU", "Xeon W", 3),
    ("Intel(R) Xeon(R) CPU D-1541 @ 2.10GHz", "Xeon D", None),
    ("Intel(R) Xeon(R) D-2146NT CPU", "Xeon D", None),
    ("INTEL(R) XEON(R) CPU MAX 9480", "Xeon Max", None),
    ("Intel(R) Xeon(R) CPU E7- 4870  @ 2.40GHz", "Xeon E3/E5/E7", 1),
    ("Intel(R) Xeon(R) CPU E3-1220 V2 @ 3.10GHz", "Xeon E3/E5/E7", 2),
    ("Intel(R) Xeon(R) CPU E3-1505M v5 @ 2.80GHz", "Xeon E3/E5/E7", 5),
    ("Intel(R) Xeon(R) Platinum 8259CL CPU @ 2.50GHz", "Xeon Scalable", 2),
    ("Intel(R) Xeon(R) Platinum 8480+", "Xeon Scalable", 4),
    ("INTEL(R) XEON(R) GOLD 6548Y+", "Xeon Scalable", 5),
    ("INTEL(R) XEON(R) PLATINUM 8592+", "Xeon Scalable", 5),
    ("INTEL(R) XEON(R) SILVER 4514Y", "Xeon Scalable", 5),
    ("Intel(R) Xeon(R) CPU X5650 @ 2.67GHz", "Xeon", None),
    ("Intel(R) Xeon(R) 6980P", "Xeon 6", None),
    ("Intel(R) Xeon(R) E-2388G CPU", "Xeon E", 3),
    ("Intel(R) Core(TM) i7-6950X CPU @ 3.00GHz", "Core", 6),
    ("Intel(R) Core(TM) i9-7900X CPU @ 3.30GHz", "Core", 7),
    ("Intel(R) Core(TM) i9-10980XE CPU @ 3.00GHz", "Core", 10),
    ("Intel(R) Core(TM) i3-8121U CPU @ 2.20GHz", "Core", 8),
    ("Intel(R) Core(TM) i7-3960X CPU", "Core", 3),
    ("12th Gen Intel(R) Core(TM) i3-1220P", "Core", 12),
    ("12th Gen Intel(R) Core(TM) i9-12900KS", "Core", 12),
    ("13th Gen Intel(R) Core(TM) i7-1370PE", "Core", 13),
    ("11th Gen Intel(R) Core(TM) i7-1185GRE @ 2.80GHz", "Core", 11),
    ("11th Gen Intel(R) Core(TM) i5-1145G7E", "Core", 11),
    ("Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz", "Core", 8),
    ("Intel(R) Core(TM) i7-8665UE CPU", "Core", 8),
    ("Intel(R) Core(TM) i7 CPU       L 640  @ 2.13GHz", "Core", 1),
    ("Intel(R) Core(TM) i5 CPU       U 520  @ 1.07GHz", "Core", 1),
    ("i5-520M", "Core", 1),
    ("i7 920", "Core", 1),
    ("Intel(R) Core(TM) m5-6Y57 CPU @ 1.10GHz", "Core", 6),
    ("Intel(R) Core(TM) M-5Y71 CPU @ 1.20GHz", "Core", 5),
    ("Intel(R) Core(TM) Ultra 7 268V", "Core Ultra", 2),
    ("Intel(R) Core(TM) Ultra X9 388H", "Core Ultra", 3),
    ("Ultra 7 155H", "Core Ultra", 1),
    ("Intel(R) Pentium(R) Gold G5400 CPU @ 3.70GHz", "Pentium", None),
    ("Intel(R) Pentium(R) 4 CPU 3.00GHz", "Pentium", None),
    ("Intel(R) Celeron(R) CPU N3350 @ 1.10GHz", "Celeron", None),
    ("Intel(R) Atom(TM) CPU N270 @ 1.60GHz", "Atom", None),
    ("AMD Ryzen 3 3250U with Radeon Graphics", "Ryzen", 3),
    ("AMD Ryzen 5 3550H with Radeon Vega Mobile Gfx", "Ryzen", 3),
    ("AMD Ryzen 5 2600 Six-Core Processor", "Ryzen", 2),
    ("AMD Ryzen 5 5500U with Radeon Graphics", "Ryzen", 5),
    ("AMD Ryzen 5 PRO 5650U with Radeon Graphics", "Ryzen", 5),
    ("AMD Ryzen 7 PRO 7840U w/ Radeon 780M Graphics", "Ryzen", 7),
    ("AMD Ryzen 9 9950X3D 16-Core Processor", "Ryzen", 9),
    ("AMD Ryzen 9 7945HX with Radeon Graphics", "Ryzen", 7),
    ("AMD Ryzen Threadripper PRO 7995WX 96-Cores", "Ryzen Threadripper", 7),
    ("AMD Ryzen Embedded V1605B with Radeon Vega Gfx", "Ryzen Embedded", None),
    ("AMD Athlon Silver 3050U with Radeon Graphics", "Athlon", None),
    ("AMD Athlon(tm) 64 X2 Dual Core Processor 4200+", "Athlon", None),
    ("AMD Phenom(tm) II X4 965 Processor", "Phenom", None),
    ("AMD A10-9700 RADEON R7, 10 COMPUTE CORES 4C+6G", "A-Series", None),
    ("AMD PRO A10-8770 R7, 10 COMPUTE CORES 4C+6G", "A-Series", None),
    ("AMD A4-3300M APU with Radeon(tm) HD Graphics", "A-Series", None),
    ("AMD A6-9225 RADEON R4, 5 COMPUTE CORES 2C+3G", "A-Series", None),
    ("AMD E1-2100 APU with Radeon(TM) HD Graphics", "E-Series", None),
    ("AMD E2-9000e RADEON R2", "E-Series", None),
    ("AMD C-60 APU with Radeon(tm) HD Graphics", "E-Series", None),
    ("AMD FX(tm)-6300 Six-Core Processor", "FX", None),
    ("AMD Turion(tm) 64 X2 Mobile Technology TL-60", "Turion", None),
    ("AMD Sempron(tm) 140 Processor", "Sempron", None),
    ("AMD Opteron(tm) Processor 6272", "Opteron", None),
    ("Apple M2 Pro", "Apple M", 2),
    ("Apple M4", "Apple M", 4),
    ("VirtualApple @ 2.50GHz", "Apple M", None),
    ("ARM Cortex-A72", "Cortex-A", None),
    ("Neoverse-N1", "Neoverse", None),
    ("AWS Graviton2", "Graviton", 2),
    ("R5 3600", "Ryzen", 3),
    ("Ryzen 5-5600X", "Ryzen", 5),
    ("ryzen 7 5800x", "Ryzen", 5),
    ("AMD Ryzen 5 7535U with Radeon Graphics", "Ryzen", 7),
    ("Intel(R) Core(TM) i5-14400", "Core", 14),
    ("i3 6100u", "Core", 6),
    ("Core i7-7700K", "Core", 7),
    ("Intel Core i7 7700 @ 3.60GHz", "Core", 7),
    ("Intel(R) Celeron(R) G4900", "Celeron", None),
    ("E8400", "Core 2", None),
    ("Intel(R) Core(TM)2 Solo CPU    U3500  @ 1.40GHz", "Core 2", None),
    ("Intel(R) Xeon(R) Platinum 8375C CPU @ 2.90GHz", "Xeon Scalable", 3),
    ("Intel(R) Xeon(R) Gold 5318N CPU @ 2.10GHz", "Xeon Scalable", 3),
    ("AMD Custom APU 0405", "", None),
    ("AMD Ryzen 3 7320U with Radeon Graphics", "Ryzen", 7),
    ("AMD Ryzen 5 8645HS w/ Radeon 760M Graphics", "Ryzen", 8),
    ("AMD Ryzen 7 8845HS w/ Radeon 780M Graphics", "Ryzen", 8),
    ("AMD Ryzen 5 220 w/ Radeon 740M Graphics", "Ryzen series", 2),
    ("AMD RYZEN AI MAX+ 395 w/ Radeon 8060S", "Ryzen AI", 3),
    ("AMD Ryzen AI 5 PRO 340 w/ Radeon 840M", "Ryzen AI", 3),
    ("Intel(R) Core(TM) i7-11370H @ 3.30GHz", "Core", 11),
]  # fmt: skip


@pytest.mark.parametrize(("name", "line", "generation"), AS_WRITTEN)
def test_names_as_they_are_written(name: str, line: str, generation: int | None) -> None:
    found = VOCABULARY.processors.named(name)
    assert ("" if found is None else found.line, found and found.generation) == (line, generation)


LEVELS = [
    ("Intel(R) Core(TM) i5-L16G7 CPU @ 1.40GHz", "x86-64-v2"), ("i5-1035G1", "x86-64-v4"),
    ("i7-11800H", "x86-64-v4"), ("i5-12400", "x86-64-v3"), ("i5-10210U", "x86-64-v3"),
    ("i9-10980XE", "x86-64-v4"), ("i3-3220", "x86-64-v2"), ("i5-4570", "x86-64-v3"),
    ("AMD Ryzen 7 7735HS with Radeon Graphics", "x86-64-v3"), ("Ryzen 7 7840U", "x86-64-v4"),
    ("AMD Ryzen 7 170", "x86-64-v3"), ("AMD Ryzen 7 260", "x86-64-v4"),
    ("Pentium G4560", "x86-64-v2"), ("Celeron N4020", "x86-64-v2"), ("Pentium M 1.86GHz", None),
    ("AMD Athlon 3000G with Radeon Vega Graphics", "x86-64-v3"), ("Xeon E5620", "x86-64-v2"),
    ("AMD FX-8350", "x86-64-v2"), ("Xeon E5-2680 v2", "x86-64-v2"), ("Xeon W-2123", "x86-64-v4"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "level"), LEVELS)
def test_levels_follow_the_design(name: str, level: str | None) -> None:
    found = VOCABULARY.processors.named(name)
    assert found is not None
    assert found.level == level


SAME = [
    ("Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz", "i5 8365u"), ("Ryzen 5-5600X", "R5 5600X"),
    ("AMD Ryzen 5 5600X 6-Core Processor", "ryzen 5 5600x"), ("Apple M1", "M1"),
    ("Intel(R) Core(TM) i5 CPU       M 520  @ 2.40GHz", "Core i5-520M"),
    ("AMD Ryzen 7 7840U w/ Radeon 780M Graphics", "AMD Ryzen 7 7840U"),
    ("Intel® Core™2 Duo CPU E8400 @ 3.00GHz", "Core 2 Duo E8400"),
    ("12th Gen Intel(R) Core(TM) i5-1240P", "i5-1240P"),
]  # fmt: skip


@pytest.mark.parametrize(("one", "other"), SAME)
def test_names_of_one_processor_have_one_normal_form(one: str, other: str) -> None:
    assert normal_name(one) == normal_name(other)


@given(st.sampled_from([name for name, _, _ in AS_WRITTEN]))
def test_a_normal_form_stays_what_it_is(name: str) -> None:
    plain = normal_name(name)
    assert normal_name(plain) == plain
    assert normal_name(name.upper()) == plain


def test_lines_continue_lines() -> None:
    namer = VOCABULARY.processors
    assert namer.before("Core Ultra") == ["Core", "Core 2"]
    assert namer.before("Ryzen AI") == ["Ryzen"]
    assert namer.before("Sedge") == []
    assert namer.line("intel core") == namer.line("Core")
    assert namer.line("amd core") is None


def test_every_rule_speaks_of_a_line_that_is_there() -> None:
    namer = VOCABULARY.processors
    assert [r.line for r in namer.rules if r.line and namer.line(r.line) is None] == []
    assert [one.after for one in namer.lines.values()
            if one.after and namer.line(one.after) is None] == []  # fmt: skip
    checked(namer.rules, "built in")


@given(st.text(max_size=300))
def test_any_name_is_taken(name: str) -> None:
    VOCABULARY.processors.named(name)


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


@pytest.mark.parametrize(
    ("name", "slots"),
    [("Apple M2", 0), ("Apple M4 Pro", 0), ("Intel(R) Core(TM) Ultra 7 258V", 0),
     ("Snapdragon X Elite", 0), ("Core Ultra 7 265U", None), ("Core i5-8365U", None)],
)  # fmt: skip
def test_memory_that_is_fixed_to_the_processor_leaves_no_position(
    tmp_path: Path, name: str, slots: int | None
) -> None:
    told = call("describe", "x", f"processor={name}", "memory=8GB", "-o", "x.json", cwd=tmp_path)
    assert told.code == 0
    (tmp_path / "f.csv").write_text(f"name,cpu,memory\nx,{name},8 GB\n")
    alone = call("check", "x.json", "--need", "memory=16GB", "--quiet", cwd=tmp_path).out.strip()
    assert alone == ("replace" if slots == 0 else "memory-alone")
    listed = call("fleet", "f.csv", "--need", "memory=16GB", "--format", "json", cwd=tmp_path)
    assert listed.json()["answers"][alone] == 1
    guest = call("describe", "x", f"processor={name}", "memory=8GB", "virtual=yes", "-o", "v.json",
                cwd=tmp_path)  # fmt: skip
    assert guest.code == 0
    assert call("check", "v.json", "--need", "memory=16GB", "--quiet",
               cwd=tmp_path).out.strip() == "memory-alone"  # fmt: skip


@pytest.mark.parametrize(
    ("name", "counts"),
    [
        ("Intel(R) Core(TM) i5-8250U CPU @ 1.60GHz", (4, 8)), ("i5-6500", (4, 4)),
        ("i5 6200", None), ("Core i5-6200U", (2, 4)), ("i7-4790K", (4, 8)), ("i7-9700", (8, 8)),
        ("i3-2120", (2, 4)), ("i3-8100", (4, 4)), ("i3-8130U", (2, 4)), ("i5-10400F", (6, 12)),
        ("i5-1135G7", (4, 8)), ("Core i5-12400", (6, 12)), ("Core i5-1235U", (10, 12)),
        ("AMD Ryzen 5 PRO 4650U with Radeon Graphics", (6, 12)), ("R5 3600", (6, 12)),
        ("Ryzen 7 4700U", (8, 8)), ("Ryzen 7 2700U", (4, 8)), ("Celeron N4020", (2, 2)),
        ("Pentium G4560", (2, 4)), ("Core 2 Quad Q6600", (4, 4)), ("Intel N100", (4, 4)),
        ("i5 8th generation", None), ("Xeon E5-2620 v4", None), ("Core Ultra 7 255H", None),
        ("i5-825OU", None), ("N100", (4, 4)), ("Intel(R) Core(TM) i3-N305", (8, 8)),
        ("N250", (4, 4)), ("Intel N350", (8, 8)), ("Core Ultra 7 155H", (16, 22)),
        ("Ryzen 7 8845HS", (8, 16)),
        ("Celeron J4125", (4, 4)), ("Athlon Silver 3050U", (2, 2)), ("Core i5-13500H", (12, 16)),
    ],
)  # fmt: skip
def test_cores_and_threads_of_models(name: str, counts: tuple[int, int] | None) -> None:
    known = complete(machine(processor={"name": name}), VOCABULARY).processor
    assert (known.cores, known.threads) == (counts or (None, None))


@pytest.mark.parametrize(
    ("sections", "counts"),
    [
        ({"processor": {"name": "i5-8250U", "threads": 4}}, (None, 4)),  # half of them is off
        ({"processor": {"name": "i5-8250U", "cores": 2}}, (2, None)),
        ({"processor": {"name": "i5-8250U"}, "system": {"virtual": True}}, (None, None)),
    ],
)
def test_a_models_count_gives_way_to_what_is_known(
    sections: dict[str, Any], counts: tuple[int | None, int | None]
) -> None:
    known = complete(machine(**sections), VOCABULARY).processor
    assert (known.cores, known.threads) == counts


@pytest.mark.parametrize(
    ("maker", "model", "fixed"),
    [
        (None, "MacBook Pro 2019", True), ("Apple", "MacBook Pro (13-inch, 2017)", True),
        (None, "MacBook Pro 2011", False), (None, "Mac mini 2018", False),
        ("Apple Inc.", "Mac mini (2020)", True), (None, "Raspberry Pi 4", True),
        ("NVIDIA", "NVIDIA Jetson Nano", True), ("Osier", "Raspberry Pi 4 case", True),
        ("Lenovo", "ThinkPad T14s Gen 2", True), ("Lenovo", "ThinkPad T14 Gen 2", False),
        ("Dell", "Latitude 9420", True), ("Dell", "Latitude 5420", False), (None, None, False),
    ],
)  # fmt: skip
def test_models_whose_memory_is_fixed(maker: str | None, model: str | None, fixed: bool) -> None:
    assert VOCABULARY.models.fixed(maker, model) == fixed
