"""Which files, by their names, are newer versions of what a project has: a mix that changed late, or its stems."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from functools import reduce

from fern_tide.core.base.naming import name_of

Words = frozenset[str]

_OF_A_VERSION = re.compile(
    r"(v|ver|version|rev|revised|revision|r|new|newer|newest|latest|final|fin|edit|edited|fix|fixed|update|updated|copy"
    r"|draft|wip|mix|remix|mixdown|master|mastered|bounce|bounced|export|render|stem|stems)\d*[a-z]?"
)
_OF_A_FILE = re.compile(
    r"\d+(bpm|k|khz|hz|bit|bits|db)|\d+k\d|bpm|k|khz|hz|bit|bits|stereo|mono|wav|aiff?|flac|mp3|ogg|opus|m4a|midi?|csv"
)
_NUMBER = re.compile(r"\d+")


def newer_files(file_names: Sequence[str], names: Sequence[str], *, song: str = "") -> dict[int, int]:
    """Say which files are newer versions of which things, by the words of their names alone.

    What a version or a kind of file is called ('v2', 'final', '48k') does not count, nor do the words of the song:
    those of the project, and, where that leaves some without their like, those that all files or all things share. The
    words that are left have to be the same. Numbers count ('Drum 1' is not 'Drum 2'), unless without them one file and
    one thing alone are left that fit each other. What fits several things, or has a rival, is no newer version of any.

    Args:
        file_names: of the files that come.
        names: of the things that are there, such as tracks.
        song: what the project is called.

    Returns:
        The place of a thing in `names` for the place of each such file in `file_names`.
    """
    files = [_words(name_of(name)) for name in file_names]
    things = [_words(name) for name in names]
    pairs: dict[int, int] = {}
    for is_noise, is_shared_song in itertools.product((_of_a_version, _of_a_version_or_number), (False, True)):
        own_of_files = _own(files, _words(song), is_noise, is_shared_song=is_shared_song)
        own_of_things = _own(things, _words(song), is_noise, is_shared_song=is_shared_song)
        paired = set(pairs.values())
        left = [at for at in range(len(files)) if at not in pairs]
        rivals = Counter(own_of_files[at] for at in left)
        fitting: defaultdict[Words, list[int]] = defaultdict(list)
        for at, own in enumerate(own_of_things):
            if at not in paired:
                fitting[own].append(at)
        for at in left:
            own, those = own_of_files[at], fitting[own_of_files[at]]
            if len(those) == rivals[own] == 1 and _is_in(things[those[0]], files[at], own, is_noise):
                pairs[at] = those[0]
    return pairs


def _words(name: str) -> list[str]:
    """Give the words of a name: 'NightRain_Kick1-v2' gives night, rain, kick, 1, v2."""
    apart = re.sub(r"(?<=[^\W\d_])(?<![A-Z])(?=[A-Z])", " ", name)
    plain = unicodedata.normalize("NFKD", apart).casefold()
    words = re.findall(r"[^\W_]+", "".join(letter for letter in plain if not unicodedata.combining(letter)))
    return [part for word in words for part in ([word] if _of_a_version(word) else re.findall(r"\d+|\D+", word))]


def _of_a_version(word: str) -> bool:
    return bool(_OF_A_VERSION.fullmatch(word) or _OF_A_FILE.fullmatch(word))


def _of_a_version_or_number(word: str) -> bool:
    return _of_a_version(word) or bool(_NUMBER.fullmatch(word))


def _own(
    those: Sequence[list[str]], song: list[str], is_noise: Callable[[str], bool], *, is_shared_song: bool
) -> list[Words]:
    """Give the words that tell each of several names from the others; none of a name that is the song's.

    Args:
        those: the words of each.
        song: the words of the song.
        is_noise: says of a word whether it does not count.
        is_shared_song: whether what all of them share is of the song, too.
    """
    bare = [frozenset(word for word in words if not is_noise(word)) for words in those]
    shared = reduce(frozenset.intersection, bare) if is_shared_song and len(bare) > 1 else frozenset()
    of_song = frozenset(song) | shared
    return [words - of_song for words in bare]


def _is_in(thing: list[str], file: list[str], own: Words, is_noise: Callable[[str], bool]) -> bool:
    """Say whether words make a file fit a thing: where none tell them apart, those of the thing are in the file's."""
    meant = [word for word in thing if not is_noise(word)] or thing
    return bool(own) or set(meant) <= set(file)
