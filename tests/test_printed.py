"""What systems' own programs print, pasted: tables, lists of properties, files of the kernel."""

from typing import Any

import pytest

from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Graphics, Machine, Module
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.text.pasted import read_lines
from tests.helpers import GIB, VOCABULARY

GB = 10**9

NAME = "Intel(R) Core(TM) i5-8250U CPU @ 1.60GHz"
FREE = """               total        used        free      shared  buff/cache   available
Mem:    {}
Swap:   {}
"""
LISTING = f"""Architecture:            x86_64
  CPU op-mode(s):        32-bit, 64-bit
CPU(s):                  16
  On-line CPU(s) list:   0-15
Vendor ID:               GenuineIntel
  Model name:            {NAME}
    Model:               142
    Thread(s) per core:  2
    Core(s) per socket:  4
    Socket(s):           2
    CPU max MHz:         3400.0000
    Flags:               fpu vme lm avx avx2
Virtualization features:
  Virtualization:        VT-x
Caches (sum of all):
  L1d:                   128 KiB (4 instances)
NUMA:
  NUMA node0 CPU(s):     0-15
Vulnerabilities:
  Spectre v1:            Mitigation
RAM: 8 GB
Model: Bench 3"""
DEVICES = """Handle 0x0040, DMI type 17, 40 bytes
Memory Device
\tTotal Width: 64 bits
\tData Width: 64 bits
\tSize: 8 GB
\tForm Factor: SODIMM
\tLocator: ChannelA-DIMM0
\tType: DDR4
\tSpeed: 2667 MT/s

Handle 0x0041, DMI type 17, 40 bytes
Memory Device
\tSize: No Module Installed
\tLocator: ChannelB-DIMM0"""
VOLUMES = """DriveLetter HealthStatus OperationalStatus SizeRemaining      Size
----------- ------------ ----------------- -------------      ----
D           Healthy      OK                      10.5 GB 500.00 GB
C           Healthy      OK                      41.5 GB 237.23 GB"""
MEMORY_NOW = """Memory

\t7.9 GB DDR4

\tSpeed:\t2667 MHz
\tSlots used:\t1 of 2
\tForm factor:\tSODIMM
\tHardware reserved:\t98.4 MB

\tAvailable\t2.2 GB
\tCached\t2.0 GB
\tCommitted\t9.1/12.4 GB
\tPaged pool\t412 MB
\tNon-paged pool\t501 MB
\tIn use (Compressed)\t5.6 GB (312 MB)
"""
MODULE_LIST = "\n".join(
    f"BankLabel            : BANK {2 * at}\nCapacity             : {size}\n"
    f"ConfiguredClockSpeed : 2400\nDeviceLocator        : Channel{'AB'[at]}-DIMM0\n"
    f"FormFactor           : 12\nManufacturer         : Osier\nPartNumber           : M{at + 1}\n"
    f"SMBIOSMemoryType     : 26\nSpeed                : {speed}\n"
    for at, (size, speed) in enumerate([(8589934592, 2667), (4294967296, 2400)])
)
"""Modules as a shell of Windows lists what CIM has of them."""
PERFORMANCE = """\tBase speed:\t1.80 GHz
\tCores:\t4
\tLogical processors:\t8
\tL1 cache:\t256 KB
Utilization\t5%
Speed\t2.10 GHz
Processes\t210
Threads\t3000
Handles\t100000
Memory\t8.0 GB
Slots used:\t1 of 2
Form factor:\tSODIMM
Available\t2.5 GB
Cached\t2.1 GB"""
LISTING_DE = f"""Architektur:                 x86_64
CPU Operationsmodus:         32-bit, 64-bit
CPU(s):                      8
Thread(s) pro Kern:          2
Kern(e) pro Socket:          4
Sockel:                      1
Modellname:                  {NAME}
Maximale Taktfrequenz der CPU: 3400,0000"""
CHAT = """[10:01] Agent: how much memory does it say?
[10:02] Ann: 8,00 GB (7,88 GB usable)
[10:02] Agent: number of cores?
[10:03] Ann: 4
[10:04] Ann: windows 10 home 64 bit"""
PERFORMANCE_DE = """Arbeitsspeicher\t8,0 GB
In Verwendung (komprimiert)\t5,9 GB (312 MB)
Verf\u00fcgbar\t1,9 GB
Im Cache\t1,8 GB
Verwendete Steckpl\u00e4tze:\t1 von 2
Formfaktor:\tSODIMM
F\u00fcr Hardware reserviert:\t121 MB"""
STORAGE = """Local Disk (C:) - 237 GB
215 GB used
22.4 GB free
Temporary files 12.0 GB"""
PROPERTIES = """Used space: 231,928,233,984 bytes 215 GB
Free space: 24,061,300,736 bytes 22.4 GB
Capacity: 255,989,534,720 bytes 238 GB"""
CASES: list[tuple[str, dict[str, Any]]] = [
    (STORAGE, {"storage.size": 237 * GB, "storage.free": round(22.4 * GB),
               "memory.installed": None, "memory.usable": None}),
    (PROPERTIES, {"storage.size": 255989534720, "storage.free": 24061300736,
                  "memory.installed": None}),
    ("Microsoft Windows\nVersion 22H2 (OS Build 19045.5131)",
     {"system.os": "Windows", "system.os_version": "10"}),
    ("Microsoft Windows [Version 10.0.22631.4460]", {"system.os_version": "11"}),
    ("8 GB of RAM which can be upgraded to 32, and a 256 GB SSD",
     {"memory.installed": 8 * GIB, "memory.ceiling": 32 * GIB, "storage.drive": 256 * GB}),
    ("my PC has an i5-6500, 8 GB", {"system.shape": None, "memory.installed": 8 * GIB}),
    (PERFORMANCE_DE, {"memory.installed": 8 * GIB, "memory.available": round(1.9 * GIB),
                      "memory.slots": 2, "memory.usable": None, "storage.free": None}),
    ("M\u00e9moire virtuelle : taille maximale: 9 363 Mo", {"memory.ceiling": None}),
    ('NAME="Fedora Linux"\nVERSION="39 (Workstation Edition)"\nVERSION_ID=39',
     {"system.os_version": "39"}),
    ("Processors: 8 \u00d7 Intel\u00ae Core\u2122 i5-8250U CPU @ 1.60GHz",
     {"processor.threads": 8, "processor.sockets": None}),
    ("machdep.cpu.features: FPU SSE4.2 AVX1.0",
     {"processor.instructions": ["FPU", "SSE4.2", "AVX"]}),
    (LISTING_DE, {"processor.cores": 4, "processor.threads": 8, "processor.sockets": 1,
                  "processor.clock_most": 3.4e9}),
    (CHAT, {"memory.installed": 8 * GIB, "memory.usable": round(7.88 * GIB),
            "processor.cores": 4, "system.os_version": "10", "system.os_bits": 64}),
    ("Handle 0x0041, DMI type 16, 23 bytes", {"memory.installed": None}),
    ("$ free -h\nMem: 8 GB RAM", {"memory.installed": 8 * GIB, "storage.free": None}),
    ("GPU 0: Osier Reed 5\nGPU 1: Osier Reed 7, 2 GB",
     {"graphics": [Graphics("Osier Reed 5"), Graphics("Osier Reed 7", 2 * GIB)]}),
    ("processor\t: 0\ncpu cores\t: 4\nsiblings\t: 8\nphysical id\t: 0\n"
     f"model name\t: {NAME}", {"processor.cores": 4, "processor.threads": 8}),
    ("NAME    MAJ:MIN RM   SIZE RO TYPE MOUNTPOINTS\nnvme0n1 259:0 0 238.5G 0 disk\n"
     "`-nvme0n1p2 259:2 0 238G 0 part /\nsda 8:0 0 931.5G 0 disk\n",
     {"storage.drive": round(238.5 * GIB), "storage.kind": "solid"}),
    ("RAM (GB): 8", {"memory.installed": 8 * GIB}),
    ("TotalPhysicalMemory=17044840448", {"memory.usable": 17044840448}),
    ("CsTotalPhysicalMemory : 8459264000", {"memory.usable": 8459264000}),
    ("CsPhyicallyInstalledMemory : 8388608", {"memory.installed": 8 * GIB}),
    ("TotalVisibleMemorySize\n8261584\n", {"memory.usable": 8261584 << 10}),
    ("CsProcessors : {" + NAME + "}", {"processor.name": NAME}),
    (f"Name={NAME}\nMaxClockSpeed=1800", {"processor.name": NAME, "processor.clock": 1.6e9}),
    ("MaxClockSpeed : 1800", {"processor.clock": 1.8e9}),
    ("hw.memsize: 8589934592\nhw.physicalcpu: 4", {"memory.installed": 8 * GIB,
                                                   "processor.cores": 4}),
    ("ProductName:\t\tmacOS\nProductVersion:\t\t14.4.1\nBuildVersion:\t\t23E224",
     {"system.os": "macOS", "system.os_version": "14.4.1"}),
    ("macOS Sonoma\nVersion 14.4.1", {"system.os_version": "14.4.1"}),
    ("Version 14.4.1\nmacOS Sonoma", {"system.os_version": "14.4.1"}),
    ("Windows 11 Pro\nVersion 22H2", {"system.os_version": "11", "extra.os_release": "22H2"}),
    ("Model Name: MacBook Pro\nTotal Number of Cores: 10 (8 performance and 2 efficiency)",
     {"system.model": "MacBook Pro", "processor.cores": 10}),
    (f"Processor: {NAME} (8 CPUs), ~1.8GHz\nBIOS: 1.2 (type: UEFI)\n"
     "Available OS Memory: 8068MB RAM",
     {"processor.name": NAME, "processor.threads": 8, "processor.clock": 1.6e9,
      "firmware.mode": "uefi", "firmware.version": "1.2", "memory.usable": 8068 << 20}),
    ("Processor: Intel® Core™ i5-8250U × 8\nOS Type: 64-bit",
     {"processor.threads": 8, "system.os_bits": 64}),
    ("CPU: Xeon E5-2620 x 2", {"processor.name": "Xeon E5-2620", "processor.sockets": 2,
                               "processor.threads": None}),
    ("OS type: Win 7 Pro 32bit", {"system.os": "Windows", "system.os_bits": 32}),
    ('PRETTY_NAME="Ubuntu 22.04.3 LTS"\nVERSION_ID="22.04"', {"system.os_version": "22.04.3"}),
    ("Free HDD space: 40 GB", {"storage.free": 40 * GB, "storage.drive": None}),
    ("CPU i5", {"processor.line": "Core"}),
    ("a 256GB SSD. It runs Windows 10 Home", {"storage.drive": 256 * GB, "system.os": "Windows"}),
    ("Mein Laptop hat 8 GB RAM, einen i5 der 8. Generation, 256 GB SSD, davon 40 GB frei.",
     {"system.shape": "notebook", "memory.installed": 8 * GIB, "processor.generation": 8,
      "storage.drive": 256 * GB, "storage.free": 40 * GB}),
    ("J'ai un PC portable avec 8 Go de RAM, disque SSD 256 Go",
     {"system.shape": "notebook", "memory.installed": 8 * GIB, "storage.drive": 256 * GB}),
    ("laptop 8GB RAM, 12gb vram, 1tb nvme with 300gb free",
     {"system.shape": "notebook", "memory.installed": 8 * GIB, "graphics.memory": 12 * GIB,
      "storage.free": 300 * GB}),
    ("Virtual machine, 2 vCPU, 4 GB RAM, 60 GB disk",
     {"system.virtual": True, "processor.threads": 2, "storage.drive": 60 * GB}),
    ("Type: 64 bit os, x64 processor", {"system.os_bits": 64}),
    ("64-Bit-Betriebssystem, x64-basierter Prozessor",
     {"system.os_bits": 64, "processor.architecture": "x86-64"}),
    ("i7-4790 @ 3.6", {"processor.name": "i7-4790", "processor.clock": 3.6e9}),
    (f"Prozessor\t{NAME}, 1800 MHz, 4 Kern(e), 8 logische(r) Prozessor(en)\nPlattformrolle\tMobil",
     {"processor.cores": 4, "processor.threads": 8, "system.shape": "notebook"}),
    ("MemTotal:  8261584 kB\nMemFree:  10 kB\nMemAvailable:  2363584 kB\nSwapTotal:  0 kB",
     {"memory.usable": 8261584 << 10, "memory.available": 2363584 << 10, "memory.swap": 0}),
    (FREE.format("16283840 4283840 8283840 283840 3716160 11283840", "2097148 0 2097148"),
     {"memory.usable": 16283840 << 10, "memory.available": 11283840 << 10,
      "memory.swap": 2097148 << 10}),
    (FREE.format("15902 4183 8089 277 3629 11019", "2047 0 2047"),
     {"memory.usable": 15902 << 20, "memory.swap": 2047 << 20}),
    (FREE.format("15Gi 4.1Gi 7.9Gi 277Mi 3.5Gi 10Gi", "2.0Gi 0B 2.0Gi"),
     {"memory.usable": 15 * GIB, "memory.available": 10 * GIB, "memory.swap": 2 * GIB}),
    ("Filesystem      Size  Used Avail Use% Mounted on\n/dev/sdb1  900G  1G  899G   1% /data\n"
     "/dev/nvme0n1p2  234G   80G  143G  36% /",
     {"storage.size": 234 * GIB, "storage.free": 143 * GIB}),
    (LISTING, {"processor.name": NAME, "processor.cores": 8, "processor.threads": 16,
             "processor.sockets": 2, "processor.bits": 64, "processor.clock_most": 3.4e9,
             "processor.virtualization": "able", "memory.installed": 8 * GIB,
             "system.model": "Bench 3"}),
    (DEVICES, {"memory.installed": 8 * GIB, "memory.slots": 2, "processor.bits": None}),
    ("Capacity\n8589934592\n4294967296\n", {"memory.installed": 12 * GIB, "memory.slots": None}),
    ("Capacity : 8589934592\nSpeed : 2667\n\nCapacity=4294967296", {"memory.installed": 12 * GIB}),
    ("Node,Capacity,Speed\nX,8589934592,2667\nX,8589934592,2667", {"memory.installed": 16 * GIB}),
    ("DeviceLocator    Capacity Speed\n-------------    -------- -----\n"
     "ChannelA-DIMM0 8589934592  2667\n", {"memory.installed": 8 * GIB}),
    ("NumberOfCores NumberOfLogicalProcessors\n------------- -------------------------\n"
     "            4                         8", {"processor.cores": 4, "processor.threads": 8}),
    (f"Name                                      NumberOfCores  \n{NAME}  4              ",
     {"processor.name": NAME, "processor.cores": 4}),
    ("Caption  FreeSpace    Size          \nC:       44560285696  254721126400  \n"
     "D:       1000000000   2000000000    ",
     {"storage.free": 44560285696, "storage.size": 254721126400, "system.os": None}),
    (VOLUMES, {"storage.free": 41.5 * GB, "storage.size": 237.23 * GB}),
    ("FriendlyName        MediaType  Size\n------------        ---------  ----\n"
     "Osier MZ512-L7      SSD        512110190592",
     {"storage.drive": 512110190592, "storage.kind": "solid"}),
    (PERFORMANCE, {"processor.clock": 1.8e9, "processor.threads": 8, "memory.installed": 8 * GIB,
                   "memory.slots": 2, "memory.available": 2.5 * GIB}),
    ("Memory\n\n\t8,0 GB\n\tSlots used:\t1 of 2\n\tHardware reserved:\t128 MB\n"
     "\tCached\t2,2 GB\n"
     "\tCommitted\t6/9 GB\n\tPaged pool\t412 MB\n\tIn use\t4,7 GB",
     {"memory.installed": 8 * GIB, "memory.usable": 7.875 * GIB, "memory.slots": 2}),
    *[(MEMORY_NOW.replace("\t", blanks), {
        "memory.usable": round(7.9 * GIB), "memory.slots": 2,
        "memory.available": round(2.2 * GIB), "storage": None})
      for blanks in ("\t", "  ", " ")],
    ("Disk 0 (C:)\n\n\tOsier NVMe 256GB\n\n\tType:\tSSD\n\n\tRead speed\t0 KB/s\n"
     "\tWrite speed\t12.3 KB/s\n\tActive time\t1%\n\tAverage response time\t0.4 ms",
     {"storage.drive": 256 * GB, "storage.kind": "solid"}),
    (MODULE_LIST, {"memory.installed": 12 * GIB, "memory.slots": None, "memory.modules": [
        Module("ChannelA-DIMM0", 8 * GIB, "DDR4", "SODIMM", 2667, 2400, maker="Osier", part="M1"),
        Module("ChannelB-DIMM0", 4 * GIB, "DDR4", "SODIMM", 2400, 2400, maker="Osier", part="M2"),
    ]}),
    ("TPM is disabled in BIOS", {"firmware.security_module": "off", "firmware.mode": None}),
    ("secure boot is off in the UEFI", {"firmware.secure_boot": "able", "firmware.mode": None}),
    ("2 sockets, 8 cores each", {"processor.sockets": 2, "processor.cores": 16}),
    ("four slots taken by 2 GB sticks", {"memory.modules": [Module(size=2 * GIB)] * 4}),
    ("Total Physical Memory: 8,467,554,304", {"memory.usable": 8467554304}),
    ("Max memory per slot: 16 GB", {"memory.position_most": 16 * GIB, "memory.installed": None}),
    ("Versi\u00f3n del BIOS: Larkmoor 1.2.3", {"firmware.version": "Larkmoor 1.2.3",
                                            "firmware.date": None}),
    ("Ann: is there a free slot?\nBob: it says 1 of 2 used\nAnn: how many gigs of ram?\nBob: 4\n"
     "Bob: no wait 8", {"memory.slots": 2, "memory.installed": 8 * GIB}),
    ("Virtualization Enabled In Firmware: No", {"processor.virtualization": "able"}),
    ("Virtualisierung in Firmware aktiviert: Nein", {"processor.virtualization": "able"}),
    ("TpmPresent : True\nTpmEnabled : False", {"firmware.security_module": "off"}),
    ("Secure Boot Active: False", {"firmware.secure_boot": "able"}),
    ("Machine name: A\n\n      Drive: C:\n Free Space: 45.2 GB\nTotal Space: 237.4 GB\n"
     "      Model: Osier 256\n      Drive: D:\n Free Space: 445.2 GB\n",
     {"storage.free": 452 * 10**8, "storage.size": 2374 * 10**8, "system.model": None}),
    ("MiB Mem :   7856.0 total,    412.1 free,   3122.0 used,   4322.3 buff/cache\n"
     "MiB Swap:   2048.0 total,   2048.0 free,      0.0 used.   4433.0 avail Mem",
     {"memory.usable": 7856 << 20, "memory.swap": 2 * GIB, "memory.available": 4433 << 20}),
    ("NAME        MAJ:MIN RM   SIZE RO TYPE MOUNTPOINTS\nnvme0n1     259:0    0 476.9G  0 disk\n"
     "\u2514\u2500nvme0n1p2 259:2    0 476.4G  0 part /", {"storage.size": round(476.4 * GIB)}),
    ("Caption  FreeSpace    Size\nC:       64424509440  254721126400\n"
     "D:       900000000    1000202039296",
     {"storage.free": 64424509440, "storage.size": 254721126400}),
    ("Memory\n\n16.0 GB DDR4\n\nIn use (Compressed)\tAvailable\n9.8 GB (412 MB)\t5.9 GB\n"
     "Committed\tCached\n14.2/22.7 GB\t4.9 GB\nPaged pool\tNon-paged pool\n642 MB\t518 MB\n\n"
     "Slots used:\t2 of 4\nHardware reserved:\t148 MB",
     {"memory.installed": 16 * GIB, "memory.available": round(5.9 * GIB), "memory.slots": 4}),
    ("RAM slots: 3\n- Slot 1: 4GB\n- Slot 2: 4 GB DDR4\n- Slot 3: empty",
     {"memory.slots": 3, "memory.installed": 8 * GIB}),
    ("DIMM 1 Size: 8192 MB\nDIMM 2 Size: Empty",
     {"memory.modules": [Module("DIMM 1", 8 * GIB), Module("DIMM 2", 0)]}),
    ("Ryzen 5 PRO 4650GE 6C/12T 16GB",
     {"processor.name": "Ryzen 5 PRO 4650GE", "processor.threads": 12,
      "memory.installed": 16 * GIB}),
    ("Ryzen 9 5950X, 128 GB (4x32)",
     {"memory.modules": [Module(size=32 * GIB)] * 4, "storage": None}),
    ("i7 620M 4GB", {"processor.name": "i7 620M", "memory.installed": 4 * GIB}),
    ("Xeon E3-1240 v5, 4 x 8 GB UDIMM, 2 x 1 TB", {"memory.installed": 32 * GIB}),
    ("Processor - Osier Wand S5 214\nWindows - 10 Pro 64 bit",
     {"system.os": "Windows", "system.os_version": "10"}),
    ("[    0.000000] Memory: 8042340K/8265420K available (14339K kernel code, 223080K reserved)",
     {"memory.usable": 8265420 << 10}),
    ("CPU(s):  8\nCore(s) per socket:  4\nSocket(s):  1",
     {"processor.cores": 4, "processor.threads": 8}),
    ("Processor Information\n\tManufacturer: Larkmoor\n\tVersion: Osier Wand S5 214\n"
     "\tCore Count: 4\n\tThread Count: 8",
     {"processor.name": "Osier Wand S5 214", "processor.cores": 4, "system.os_version": None,
      "system.maker": None}),
    ("In use (Compressed)\tAvailable\n6.1 GB (120 MB)\t9.5 GB\nCommitted\tCached\n"
     "9.9/18.2 GB\t4.1 GB", {"memory.available": round(9.5 * GIB), "memory.usable": None}),
    ("Slot 1: 4 GB DDR4\nSlot 2: (leer)\nSwap Used: 0 bytes",
     {"memory.installed": 4 * GIB, "memory.slots": 2, "memory.swap_used": 0}),
    ("A1: 8 GB, A2: empty, B1: 8 GB, B2: empty", {"memory.installed": 16 * GIB,
                                                   "memory.slots": 4}),
    ("BIOS Version/Date\tLarkmoor F.21, 3/4/2022",
     {"firmware.version": "Larkmoor F.21", "firmware.date": "3/4/2022"}),
]  # fmt: skip


def test_what_is_told_of_another_volume_is_none_of_the_systems() -> None:
    told, left = read_lines("SSD: 500GB NVMe (C:, 210GB free)\nHDD: 2TB (D:)", VOCABULARY)
    found = {one.key: one.value for one in told}
    assert (found["storage.size"], found["storage.free"]) == (500 * GB, 210 * GB)
    assert [one.line for one in left] == [2]


def test_a_table_that_is_not_known_is_passed_over_whole() -> None:
    table = "Vault    Depth\n-----    -----\n8 GB RAM 16 GB\n\nRAM: 4 GB"
    told, left = read_lines(table, VOCABULARY)
    assert [(one.key, one.value) for one in told] == [("memory.installed", 4 * GIB)]
    assert [one.line for one in left] == [1, 2, 3]


def test_labels_over_figures_that_are_not_known_tell_nothing() -> None:
    told, left = read_lines(
        "Utilised (squeezed)\tSpare\n4.1 GB (0 MB)\t3.7 GB\nRAM\t8 GB", VOCABULARY
    )
    assert [(one.key, one.value) for one in told] == [("memory.installed", 8 * GIB)]
    assert [one.line for one in left] == [1, 2]


@pytest.mark.parametrize(
    "line", ["System maker's street: Alder Way", "Fabricant du syst\u00e8me d'exploitation: Osier"]
)
def test_a_label_that_ends_in_other_words_is_another_label(line: str) -> None:
    assert read_lines(line, VOCABULARY)[0] == []


@pytest.mark.parametrize(("text", "expected"), CASES)
def test_what_is_printed_tells_these_readings(text: str, expected: dict[str, Any]) -> None:
    told, left = read_lines(text, VOCABULARY)
    machine = tell_all(Machine("machine/1", "here"), told, VOCABULARY)
    assert {key: get(machine, key) for key in expected} == expected
    assert left == []
    assert machine.doubts == []


def test_lines_that_are_left_keep_their_numbers() -> None:
    _, left = read_lines("- 8 GB RAM\n\n- Friday\n\n- Windows 10\n\n- Bed 4", VOCABULARY)
    assert [(one.line, one.text) for one in left] == [(3, "Friday"), (7, "Bed 4")]


@pytest.mark.parametrize(
    ("text", "key"),
    [
        (FREE.format("524288 1 1 1 1 1", "0 0 0"), "memory.usable"),  # of two units, both plausible
        ("L2CacheSize : 1024", "memory.installed"),
        ("Total Width: 64 bits\nData Width: 64 bits", "processor.bits"),
        ("RAM 8", "memory.installed"),
        ("The photo folder is 120 GB", "memory.installed"),
        ("Chrome uses 2 GB", "memory.installed"),
        ("PC1: 8 GB, PC2: fine", "memory.installed"),
        ("partition C 100 GB, fine", "memory.installed"),
        ("Total here: 8 GB, In use: 6.2 GB, Available: 1.6 GB", "memory.usable"),
        ("the archive 111 GB", "memory.installed"),
        ("Two drive bays, one free", "storage.free"),
        ("Temp 65 C", "processor.cores"),
        ("SQL Server 2019", "system.os"),
        ("PCIe 4.0 x4 slot", "memory.slots"),
        ("Model: laptop", "system.model"),
        ("Memory block size: 128M", "memory.installed"),
        ("Memory used by Fernfolio: 1.2 GB", "memory.installed"),
        ("Memory speed: 3200 MHz", "processor.clock"),
        ("network drive 2 TB", "storage.drive"),
        ("BIOS from 2019", "firmware.mode"),
        ("Memory available to others: 4 GB", "memory.installed"),
        ("System type brick 8", "processor.architecture"),
        ("Systemtyp 8", "processor.architecture"),
        ("total  used\n8 GB  1 GB", "memory.installed"),
        ("RAM  Speed\nThanks  for it", "memory.installed"),
    ],
)
def test_what_may_be_something_else_tells_nothing(text: str, key: str) -> None:
    told, left = read_lines(text, VOCABULARY)
    assert get(tell_all(Machine("machine/1", "here"), told, VOCABULARY), key) is None
    assert left


MAILS: list[tuple[str, dict[str, Any], list[str]]] = [
    ("my PC has an i7-7700 and 16 gigs of RAM. Windows 10 Pro, 64 bit.\n"
     "The disk is a 512GB SSD, about 100GB left.",
     {"processor.name": "i7-7700", "memory.installed": 16 * GIB, "system.os_version": "10",
      "system.os_bits": 64, "storage.drive": 512 * GB, "storage.free": 100 * GB}, []),
    ("It's a Larkmoor laptop (Leaf 840 G5), Core i5-8350U, 8GB, 256GB SSD, Win11",
     {"system.shape": "notebook", "processor.name": "Core i5-8350U", "memory.installed": 8 * GIB,
      "storage.drive": 256 * GB}, []),
    ("Mein Laptop hat 8 GB RAM und Windows 10. Die Festplatte ist eine 256 GB SSD.",
     {"memory.installed": 8 * GIB, "system.os_version": "10", "storage.drive": 256 * GB}, []),
    ("a notebook, m1, 8gb ram, 256gb, macos ventura",
     {"memory.installed": 8 * GIB, "storage.drive": 256 * GB, "system.os": "macOS"}, []),
    ("Osier Wand S5 214, 4 GB memory (3.7 usable), Merrow 9, 64-bit, TPM 2.0, UEFI",
     {"memory.installed": 4 * GIB, "system.os_bits": 64, "firmware.security_module": "2.0",
      "firmware.mode": "uefi"}, []),
    ("8 GB RAM, max 32 GB, no TPM, 64-bit processor, Windows 10 32-bit",
     {"memory.installed": 8 * GIB, "memory.ceiling": 32 * GIB, "processor.bits": 64,
      "firmware.security_module": "none", "system.os_bits": 32}, []),
    ("It has 16 GB of RAM installed, of which 15.8 GB are usable.\nIt does not have a TPM.",
     {"memory.installed": 16 * GIB, "memory.usable": round(15.8 * GIB),
      "firmware.security_module": "none"}, []),
    ("16 GB RAM, 4 GB graphics, x64-based PC",
     {"memory.installed": 16 * GIB, "graphics.memory": 4 * GIB,
      "processor.architecture": "x86-64"}, []),
    # of the memory or of the drive
    ("8GB RAM, 4GB free", {"memory.installed": 8 * GIB, "storage.free": None}, ["4GB free"]),
    ("no of cores 4\nthreads - 8\nslots - 2 (1 free)\nMemory: 15Gi total, 9Gi available",
     {"processor.cores": 4, "processor.threads": 8, "memory.slots": 2,
      "memory.available": 9 * GIB}, []),
    ("The machine has two memory slots, one is empty. In the other there is a 8 GB DDR4 module. "
     "It can take up to 32 GB.",
     {"memory.slots": 2, "memory.installed": 8 * GIB, "memory.ceiling": 32 * GIB},
     []),
    ("il a 4 go de ram et un i3-5005u. windows 10 famille. est-ce que \u00e7a suffit ?",
     {"memory.installed": 4 * GIB, "processor.name": "i3-5005u", "system.os_version": "10"},
     ["est-ce que \u00e7a suffit ?"]),
    ("openSUSE Tumbleweed\n\nBest regards\nMiriam", {"system.os": "openSUSE Tumbleweed"},
     ["Best regards", "Miriam"]),
    ("C: 237 GB, 12 GB free; E: 500 GB, 20 GB free",
     {"storage.size": 237 * GB, "storage.free": 12 * GB, "memory.installed": None},
     ["E: 500 GB, 20 GB free"]),
    ("Gaming rig: 5900X - 32GB @ 3600 - 3080 10GB - 2TB NVMe",
     {"memory.installed": 32 * GIB, "storage.drive": 2000 * GB}, ["Gaming rig", "5900X"]),
    ("PC,i5-8350U vPro,8GB (1x8GB) DDR4,256GB M.2 SATA,Win 10 Pro",
     {"processor.name": "i5-8350U", "memory.installed": 8 * GIB, "storage.drive": 256 * GB,
      "system.os_version": "10"}, []),
    ("an i5-7300U, 8 gigabytes, 256 gigabytes SSD",
     {"memory.installed": 8 * GIB, "storage.drive": 256 * GB}, []),
    ("Core 2 Duo E8400 w/ 4gb ddr2, GTX 1650 w/ 4 GB",
     {"processor.name": "Core 2 Duo E8400", "memory.installed": 4 * GIB,
      "graphics.memory": 4 * GIB},
     []),
    ("RAM 4-8 GB", {"memory.installed": None}, ["RAM 4-8 GB"]),
    ("memory used - 5 GB\nslot 1 - 8 GB, slot 2 - 8 GB",
     {"memory.usable": None, "memory.modules": [Module(slot=f"slot {n}", size=8 * GIB)
                                                for n in (1, 2)]}, ["memory used - 5 GB"]),
    ("Windows 10 Home / 64 bits", {"system.os_bits": 64, "extra.os_edition": "Home"}, []),
    ("Windows 11 (64 bit), version 23H2, build 22631",
     {"system.os_bits": 64, "extra.os_release": "23H2", "extra.os_build": "22631"}, []),
    ("Intel(R) Core(TM) i5-6500 CPU @ 3,20GHz", {"processor.clock": 3_200_000_000}, []),
    ("D drive 931 GB | 400 GB free", {"storage.free": None},
     ["D drive 931 GB | 400 GB free"]),
    ("8 GB RAM | virtual memory 9 GB\nthe page file is 1.2 GB\n4 cores each",
     {"memory.installed": 8 * GIB, "memory.usable": None, "processor.cores": None},
     ["the page file is 1.2 GB", "4 cores each"]),
    ("work laptop / 16 gigs / windows 11 / 512 ssd half full",
     {"system.shape": "notebook", "memory.installed": 16 * GIB, "storage.drive": 512 * GB},
     ["work", "half full"]),
    ("Pentium N3540 / 4 GB / 500 GB / Windows 8.1",
     {"memory.installed": 4 * GIB, "storage.drive": 500 * GB}, []),
    ("integrated graphics / 8 GB RAM", {"graphics.memory": None, "memory.installed": 8 * GIB},
     ["integrated"]),
    ("Windows 11 (64 bit) | version 23H2", {"extra.os_release": "23H2"}, []),
    ("supports sse4.2 and avx, model: 94", {"processor.instructions": ["SSE4.2", "AVX"],
      "system.model": None}, ["supports", "model: 94"]),
    ("Manufacturer Model\n------------ -----\nLarkmoor     Leaf\nManufacturer Model\n"
     "------------ -----\nLarkmoor     Leaf",
     {"system.maker": "Larkmoor", "system.model": "Leaf"}, []),
    ("Capacity    DeviceLocator\n4294967296  A1\nCapacity    DeviceLocator\n4294967296  A1",
     {"memory.modules": [Module(slot="A1", size=4 * GIB)]}, []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected", "unread"), MAILS)
def test_what_is_written_in_sentences(
    text: str, expected: dict[str, Any], unread: list[str]
) -> None:
    told, left = read_lines(text, VOCABULARY)
    machine = tell_all(Machine("machine/1", "here"), told, VOCABULARY)
    assert {key: get(machine, key) for key in expected} == expected
    assert [one.text for one in left] == unread
    assert machine.doubts == []


@pytest.mark.parametrize(
    ("text", "system", "processor"),
    [
        # so a 32-bit Windows calls a machine, whatever its processor could do
        ("System Type: X86-based PC", 32, None),
        ("4 GB RAM, x86-based PC", 32, None),
        ("System Type: x64-based PC", 64, 64),
        ("System type: 32-bit operating system, x64-based processor", 32, 64),
        ("System type: 32-bit operating system, x86-based processor", 32, 32),
    ],
)
def test_bits_of_the_system_are_not_the_processors(
    text: str, system: int | None, processor: int | None
) -> None:
    sheet = normalized(
        tell_all(Machine("machine/1", "here"), read_lines(text, VOCABULARY)[0], VOCABULARY),
        vocabulary=VOCABULARY,
    ).machine
    assert (sheet.system.os_bits, sheet.processor.bits) == (system, processor)
