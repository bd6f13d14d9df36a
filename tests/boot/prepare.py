"""A kernel and a busybox of Debian for each architecture, into ``build/boot``, to be booted.

Run by ``make test-boot``; what is there already is not fetched again.
"""

import io
import lzma
import re
import subprocess
import sys
import tarfile
import urllib.request
from pathlib import Path

MIRROR = "http://deb.debian.org/debian"
RELEASE = "bookworm"
KERNELS = {
    "amd64": "linux-image-cloud-amd64", "i386": "linux-image-686",
    "arm64": "linux-image-cloud-arm64",
}  # fmt: skip
"""The package that names the newest kernel, by Debian's name of the architecture."""
FOLDER = Path(__file__).resolve().parents[2] / "build" / "boot"


def _fetched(path: str) -> bytes:
    with urllib.request.urlopen(f"{MIRROR}/{path}", timeout=120) as answer:
        return bytes(answer.read())


def _field(index: str, package: str, name: str) -> str:
    """A field of a package in a list of packages."""
    entry = re.search(rf"^Package: {re.escape(package)}\n(?:.+\n)*", index, re.M)
    found = entry and re.search(rf"^{name}: (.*)$", entry[0], re.M)
    if not found:
        raise SystemExit(f"{package}: found no {name} in the mirror's list")
    return found[1]


def _member(package: bytes, pattern: str) -> bytes:
    """The one file of a package whose path fits a pattern."""
    whole = subprocess.run(["dpkg-deb", "--fsys-tarfile", "/dev/stdin"], input=package,
                           capture_output=True, check=True).stdout  # fmt: skip
    with tarfile.open(fileobj=io.BytesIO(whole)) as archive:
        for one in archive:
            if re.fullmatch(pattern, one.name) and (file := archive.extractfile(one)):
                return file.read()
    raise SystemExit(f"found no {pattern} in a package")


def main() -> None:
    """Fetch what is not there."""
    for architecture, newest in KERNELS.items():
        folder = FOLDER / architecture
        if (folder / "busybox").exists():
            continue
        print(f"fetching a kernel for {architecture}", file=sys.stderr)
        listed = _fetched(f"dists/{RELEASE}/main/binary-{architecture}/Packages.xz")
        index = lzma.decompress(listed).decode()
        kernel = _field(index, newest, "Depends").split()[0].rstrip(",")
        folder.mkdir(parents=True, exist_ok=True)
        for package, pattern, name in (
            (kernel, r"\./boot/vmlinuz-.*", "vmlinuz"),
            ("busybox-static", r"\./(?:usr/)?bin/busybox", "busybox"),
        ):
            data = _fetched(_field(index, package, "Filename"))
            (folder / name).write_bytes(_member(data, pattern))


if __name__ == "__main__":
    main()
