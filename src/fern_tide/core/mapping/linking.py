"""Drives that go along with another of the same mapping: taller and thinner as one thing to tune."""

from __future__ import annotations

from fern_tide.core.mapping.drive import Drive, inverted
from fern_tide.core.mapping.mapping import Mapping


def along(leader: Drive, drive: Drive) -> Drive:
    """Give a drive as its leader has it: the ends, as far or the other way, and all the rest but the property."""
    like = inverted(leader) if drive.other_way else leader
    return like.but(target=drive.target, along=leader.target, other_way=drive.other_way)


def relinked(before: Mapping | None, after: Mapping) -> Mapping:
    """Give a mapping after an edit, what goes along with a drive brought along.

    A drive that was itself changed goes on its own from there, and so does one whose leader is gone.

    Args:
        before: the mapping as it was; None for a new one.
        after: the mapping as the edit would have it.
    """
    if not any(drive.along for drive in after.drives):
        return after
    old = {drive.target: drive for drive in (before.drives if before else ())}
    new = {drive.target: drive for drive in after.drives}
    drives = []
    for drive in after.drives:
        leader, was = (new.get(drive.along) if drive.along else None), old.get(drive.target)
        itself_changed = was is not None and was.along == drive.along and was != drive
        if drive.along and (leader is None or itself_changed):
            drives.append(drive.but(along=None, other_way=False))
        else:
            drives.append(drive if leader is None else along(leader, drive))
    return after.but(drives=tuple(drives))
