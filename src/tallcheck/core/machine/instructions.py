"""Instruction sets: canonical names, aliases, implications, and the x86-64 levels.

Names follow the processor makers' manuals; aliases are kernel flags and common spellings.
The levels are those of the x86-64 psABI, "Micro-Architecture Levels".
"""

from collections.abc import Iterable
from functools import lru_cache

from tallcheck.core.values.errors import InputError, nearest

# canonical name: kernel flags and spellings that the folding of case and marks does not cover
_X86: dict[str, tuple[str, ...]] = {
    "FPU": (),
    "CMOV": (),
    "CX8": ("CMPXCHG8B",),
    "FXSR": ("FXSAVE",),
    "MMX": (),
    "MMXEXT": ("EMMX",),
    "SSE": ("SSE1",),
    "SSE2": (),
    "SCE": ("SYSCALL",),
    "NX": ("XD", "NXBIT", "EVP"),
    "PAE": (),
    "CMPXCHG16B": ("CX16",),
    "LAHF-SAHF": ("LAHFLM", "LAHF", "SAHF"),
    "POPCNT": ("POPCOUNT",),
    "SSE3": ("PNI",),
    "SSSE3": ("SSE3S",),
    "SSE4.1": (),
    "SSE4.2": (),
    "SSE4a": (),
    "AVX": ("AVX1", "AVX1.0"),
    "AVX2": (),
    "BMI1": ("BMI",),
    "BMI2": (),
    "F16C": ("FP16C", "CVT16"),
    "FMA": ("FMA3",),
    "FMA4": (),
    "XOP": (),
    "TBM": (),
    "LZCNT": ("ABM",),
    "MOVBE": (),
    "XSAVE": (),
    "OSXSAVE": (),
    "AES": ("AESNI", "AESINSTRUCTIONS"),
    "PCLMULQDQ": ("PCLMUL", "CLMUL"),
    "SHA": ("SHANI", "SHAEXTENSIONS"),
    "SHA512": (),
    "SM3": (),
    "SM4": (),
    "RDRAND": ("RDRND",),
    "RDSEED": (),
    "RDTSCP": (),
    "RDPID": (),
    "ADX": (),
    "FSGSBASE": (),
    "CLFLUSHOPT": (),
    "CLWB": (),
    "PREFETCHW": ("3DNOWPREFETCH",),
    "RTM": ("TSX",),
    "HLE": (),
    "GFNI": (),
    "VAES": (),
    "VPCLMULQDQ": (),
    "AVX512F": ("AVX512", "AVX512FOUNDATION"),
    "AVX512BW": (),
    "AVX512CD": (),
    "AVX512DQ": (),
    "AVX512VL": (),
    "AVX512IFMA": ("AVX512IFMA52",),
    "AVX512VBMI": (),
    "AVX512VBMI2": (),
    "AVX512VNNI": (),
    "AVX512BITALG": (),
    "AVX512VPOPCNTDQ": (),
    "AVX512BF16": (),
    "AVX512FP16": (),
    "AVX-VNNI": (),
    "AVX-IFMA": (),
    "AVX-NE-CONVERT": (),
    "AVX-VNNI-INT8": (),
    "AMX-TILE": (),
    "AMX-INT8": (),
    "AMX-BF16": (),
    "MOVDIRI": (),
    "MOVDIR64B": (),
    "SERIALIZE": (),
    "WAITPKG": (),
    "3DNow": (),
    "3DNowExt": (),
}
_ARM: dict[str, tuple[str, ...]] = {
    "FP": ("VFP",),
    "ASIMD": ("NEON", "ADVSIMD", "ADVANCEDSIMD"),
    "AES": (),
    "PMULL": (),
    "SHA1": (),
    "SHA2": ("SHA256",),
    "SHA3": (),
    "SHA512": (),
    "SM3": (),
    "SM4": (),
    "CRC32": (),
    "LSE": ("ATOMICS",),
    "FP16": ("FPHP", "ASIMDHP"),
    "RDM": ("ASIMDRDM",),
    "DotProd": ("ASIMDDP",),
    "FHM": ("ASIMDFHM",),
    "JSCVT": (),
    "FCMA": (),
    "LRCPC": ("RCPC",),
    "DCPOP": ("DPB",),
    "DIT": (),
    "FLAGM": (),
    "SSBS": (),
    "SB": (),
    "PAuth": ("PACA",),
    "BTI": (),
    "MTE": (),
    "RNG": (),
    "SVE": (),
    "SVE2": (),
    "BF16": (),
    "I8MM": (),
    "SME": (),
    "SME2": (),
}

_V1 = ("CMOV", "CX8", "FPU", "FXSR", "MMX", "OSFXSR", "SCE", "SSE", "SSE2")
_V2 = ("CMPXCHG16B", "LAHF-SAHF", "POPCNT", "SSE3", "SSE4.1", "SSE4.2", "SSSE3")
_V3 = ("AVX", "AVX2", "BMI1", "BMI2", "F16C", "FMA", "LZCNT", "MOVBE", "OSXSAVE")
_V4 = ("AVX512F", "AVX512BW", "AVX512CD", "AVX512DQ", "AVX512VL")
LEVELS = {
    "x86-64-v1": _V1,
    "x86-64-v2": _V1 + _V2,
    "x86-64-v3": _V1 + _V2 + _V3,
    "x86-64-v4": _V1 + _V2 + _V3 + _V4,
}

# what comes with a set in every processor that was ever sold with it
_IMPLIES: dict[str, tuple[str, ...]] = {
    "SSE": ("FXSR", "OSFXSR"),
    "SSE2": ("SSE",),
    "SSE3": ("SSE2",),
    "SSSE3": ("SSE3",),
    "SSE4.1": ("SSSE3",),
    "SSE4.2": ("SSE4.1", "POPCNT", "CMPXCHG16B", "LAHF-SAHF"),
    "SSE4a": ("SSE3", "POPCNT"),
    "AES": ("SSE2",),
    "PCLMULQDQ": ("SSE2",),
    "SHA": ("SSSE3",),
    "AVX": ("SSE4.2", "XSAVE", "OSXSAVE"),
    "AVX2": ("AVX",),
    "F16C": ("AVX",),
    "FMA": ("AVX",),
    "FMA4": ("AVX",),
    "XOP": ("AVX", "FMA4"),
    "VAES": ("AVX", "AES"),
    "VPCLMULQDQ": ("AVX", "PCLMULQDQ"),
    "AVX-VNNI": ("AVX2",),
    "AVX512F": ("AVX2", "FMA", "F16C"),
    "3DNowExt": ("3DNow",),
    "ASIMD": ("FP",),
    "SVE": ("ASIMD", "FP16"),
    "SVE2": ("SVE",),
    "SME2": ("SME",),
}
_IMPLIES |= {name: ("AVX512F",) for name in _X86 if name.startswith("AVX512") and name != "AVX512F"}
_ARM_IMPLIES_NOT = {"AES"}  # on arm64 these names imply nothing of the x86 table


_ASIDE = str.maketrans("", "", "._-!+/()")


def _fold(name: str) -> str:
    return "".join(name.translate(_ASIDE).split()).upper()


_ALIASES: dict[str, str] = {}
for _table in (_X86, _ARM):
    for _name, _others in _table.items():
        for _spelling in (_name, *_others):
            _ALIASES.setdefault(_fold(_spelling), _name)
_ALIASES["OSFXSR"] = "OSFXSR"
_LEVEL_ALIASES = {_fold(level): level for level in LEVELS} | {
    f"V{n}": f"x86-64-v{n}" for n in range(1, 5)
}
_X86_ONLY = frozenset(_X86) - frozenset(_ARM) | {"OSFXSR", "OSXSAVE", "SCE"}
_ARM_ONLY = frozenset(_ARM) - frozenset(_X86)


@lru_cache(maxsize=1024)
def canonical(name: str) -> str | None:
    """The canonical name of a set, or None for a word that names none.

    Upper and lower case, dots, underscores, dashes and blanks make no difference:
    ``sse4_2``, ``SSE 4.2`` and ``SSE4.2`` are one.
    """
    return _ALIASES.get(_fold(name))


@lru_cache(maxsize=1024)
def set_or_level(name: str) -> str:
    """The canonical name of a set or of an x86-64 level. Raises InputError for another word."""
    found = _LEVEL_ALIASES.get(_fold(name)) or canonical(name)
    if not found:
        hint = nearest(name.strip(), [*_X86, *_ARM, *LEVELS])
        raise InputError(f"found '{name.strip()}'{hint}", 'instruction sets, such as "AVX2"')
    return found


def told_sets(names: Iterable[str]) -> list[str]:
    """Canonical names of told sets, where ``-NAME`` says that a set is absent. InputError."""
    told = []
    for name in names:
        absent = name.strip().startswith("-")
        told.append(("-" if absent else "") + set_or_level(name.strip().lstrip("-")))
    return told


def from_flags(flags: Iterable[str]) -> list[str]:
    """The sets that kernel flags stand for, in the tables' order; other flags are left out."""
    there = {found for flag in flags if (found := canonical(flag))}
    return [name for name in dict.fromkeys((*_X86, *_ARM)) if name in there]


def implied(names: Iterable[str], architecture: str | None = None) -> dict[str, str]:
    """Every set that comes with the given ones, each with the set it comes by."""
    found: dict[str, str] = {}
    todo = [n for n in names if not (architecture == "arm64" and n in _ARM_IMPLIES_NOT)]
    while todo:
        source = todo.pop()
        for name in _IMPLIES.get(source, ()):
            if name not in found:
                found[name] = source
                todo.append(name)
    return found


def enabled(names: Iterable[str], bits: int | None) -> set[str]:
    """The sets of a complete list, with those that kernels do not list by name.

    ``lm`` (64 bits) gives SCE, ``fxsr`` with ``sse`` OSFXSR, ``avx`` OSXSAVE.
    """
    there = set(names)
    if bits == 64:
        there.add("SCE")
    if {"FXSR", "SSE"} <= there:
        there.add("OSFXSR")
    if "AVX" in there:
        there.add("OSXSAVE")
    return there


def highest_level(names: Iterable[str], bits: int | None) -> str | None:
    """The highest x86-64 level all of whose sets are in a complete list; None without 64 bits."""
    there = enabled(names, bits)
    found = [level for level, sets in LEVELS.items() if there.issuperset(sets)]
    return found[-1] if found and bits == 64 else None


def missing_for_next(names: Iterable[str], bits: int | None) -> tuple[str, list[str]] | None:
    """The next x86-64 level and the sets that a complete list lacks for it; None at the top."""
    there = enabled(names, bits)
    for level, sets in LEVELS.items():
        missing = [name for name in sets if name not in there]
        if missing:
            return level, missing
    return None


def belongs_to_other(name: str, architecture: str | None) -> bool:
    """Whether a set or level exists only on another architecture than the given one."""
    if architecture in ("x86", "x86-64"):
        return name in _ARM_ONLY
    return bool(architecture) and (name in LEVELS or name in _X86_ONLY)
