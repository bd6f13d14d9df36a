"""What a volume is called on a sheet: by its place, never by a person's name or a label."""

import re

HOME, REMOVABLE = "home volume", "removable"

_HOME = re.compile(r"(?:^|/)(?:home|Users)/[^/]|^/root(?:/|$)|^/run/user/")
_REMOVABLE = re.compile(r"^/(?:run/)?media/|^/Volumes/")


def volume_name(mount: str) -> str:
    """The mount point, or what kind it is where people name it.

    Places under people's folders are ``home volume``; those of removable media, which carry
    their owners' labels, ``removable``.
    """
    if _HOME.search(mount):
        return HOME
    return REMOVABLE if _REMOVABLE.search(mount) else mount
