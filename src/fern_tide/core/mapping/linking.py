"""Drives that go along with another of the same mapping: taller and thinner as one thing to tune."""

from __future__ import annotations

from fern_tide.core.mapping.drive import Drive, inverted
from fern_tide.core.mapping.mapping import Mapping


def along(leader: Drive, drive: Drive, *, was: Drive | None = None) -> Drive:
    """Give a drive as its leader has it: the ends, as far or the other way, and all but the property and its reaches.

    One of a row (it has a rank) keeps its rank, how late it is and how much of the motion it has, and where its own
    rest is another one, its ends change by as much as the leader's.

    Args:
        leader: what it goes along with.
        drive: as it was.
        was: the leader as it was; None for a new mapping, whose ends are as they are.
    """
    like = inverted(leader) if drive.other_way else leader
    like = like.but(target=drive.target, along=leader.target, other_way=drive.other_way, within=drive.within)
    if drive.rank is None:
        return like
    like = like.but(rank=drive.rank, late_frames=drive.late_frames, share=drive.share)
    if was is None:
        return like.but(rest=drive.rest, full=drive.full, stops=drive.stops)
    if isinstance(leader.rest, str) or isinstance(was.rest, str) or isinstance(drive.rest, str) or drive.other_way:
        return like
    by_rest, by_full = float(leader.rest) - float(was.rest), float(leader.full) - float(was.full)
    return like.but(rest=round(float(drive.rest) + by_rest, 9), full=round(float(drive.full) + by_full, 9))


def _in_line(was: Drive, drive: Drive) -> Drive:
    """Give a drive as it was, in its new place in the row and by its reaches, as late and with as much as now.

    None of these sets it apart.
    """
    was = was.but(within=drive.within)
    if drive.rank is None:
        return was
    return was.but(rank=drive.rank, late_frames=drive.late_frames, share=drive.share)


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
        itself_changed = was is not None and was.along == drive.along and _in_line(was, drive) != drive
        if drive.along and (leader is None or itself_changed):
            drives.append(drive.but(along=None, other_way=False))
        else:
            drives.append(drive if leader is None else along(leader, drive, was=old.get(leader.target)))
    return after.but(drives=tuple(drives))
