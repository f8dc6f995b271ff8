"""Recorded drums of two packages of Debian measured again: skipped where they are not installed.

A sound set (fluid-soundfont-gm) and a package of free drum kits; what is electronic in them is left out.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from sound_set import SOUND_SET, sounds

from juglant.core.hit.recorded import NAMES, RECORDED
from juglant.core.hit.recorded_bands import FLOOR_DB, band_ranges
from juglant.core.hit.role_of import role_of
from juglant.core.measure.bands import CENTRES_HZ
from juglant.core.measure.character import measure_character

SHARE = Path("/usr/share")
ELECTRONIC = re.compile(
    r"^\d|elec|808|ee_|hard|powr|xfx|yfx|beats_|8bit|garage|noise|empty|brush|swirl|scratch|orch|taiko|timp|room|power",
    re.I,
)
ELECTRONIC_KITS = re.compile(r"rumpf|electric|hardel|audiophob|vari", re.I)
# In this order: the first that fits.
ROLES = {
    "clap": r"clap",
    "snare": r"snr|snare|^sd_\d|jsnare",
    "tom": r"\btom|^t[12]_|^ft_|floortom|studio\(|tom[123]|flr",
    "open hat": r"half-?open|hihat-open|semi-open|hhopen|openhat|^ho_|hat \d op|hihatopen|hihathalf",
    "hat": r"hi-?hat[- ]?closed|hihat-closed|hhclosed|closehihat|^hh_0|hat \d cl|hihatclosed|hi-hat foot|pedalhihat|"
    r"hihatfoot|hhpedal",
    "percussion": r"conga|bongo|tumba|cajon|clave|woodblock|wood|cowbell|cow bell|agogo|shaker|cabasa|maracas|tambourine|"
    r"djembe|rim|rs_0|stick|castanet|snap",
    "cymbal": r"crash|ride|china|splash|crsh",
    "kick": r"kick|bass ?drum|^bd_?\d|bassdrum",
}


def recordings() -> Iterator[tuple[str, np.ndarray, int]]:
    for name, (audio, rate) in sounds(re.compile("."), SOUND_SET).items():
        yield name, audio, rate
    for path in SHARE.glob("*/data/drumkits/*/*"):
        if path.suffix.lower() in {".wav", ".flac"} and not ELECTRONIC_KITS.search(str(path)):
            audio, rate = soundfile.read(path, always_2d=True)
            yield path.name, audio.mean(axis=1), rate


def role_of_name(name: str) -> str | None:
    if ELECTRONIC.search(name):
        return None
    return next((role for role, pattern in ROLES.items() if re.search(pattern, name, re.I)), None)


@pytest.fixture(scope="module")
def found() -> dict[str, list[object]]:
    if not SOUND_SET.exists() or not any(SHARE.glob("*/data/drumkits/*")):
        pytest.skip("Debian's recorded drums are not installed")
    out: dict[str, list[object]] = {}
    for name, audio, rate in recordings():
        role, like = role_of_name(name), measure_character(audio, sample_rate=rate)
        if role is not None and like is not None:
            out.setdefault("open hat" if role == "cymbal" else role, []).append(like)
    return out


@pytest.mark.parametrize("role", RECORDED)
def test_the_ranges_are_those_of_the_recordings(role: str, found: dict[str, list[object]]) -> None:
    ranges = RECORDED[role]
    assert len(found[role]) == ranges.sounds
    for name in NAMES:
        values = [getattr(like, name) for like in found[role]]
        exact = 0.06 if name.endswith("_db") else 0.6
        assert (min(values), max(values)) == pytest.approx(getattr(ranges, name), abs=exact), name


@pytest.mark.parametrize("role", RECORDED)
def test_the_ranges_of_bands_are_those_of_the_recordings(role: str, found: dict[str, list[object]]) -> None:
    ranges = band_ranges(role)
    assert ranges is not None
    levels = np.array([[max(FLOOR_DB, like.bands_db[hz]) for hz in CENTRES_HZ] for like in found[role]])  # type: ignore[attr-defined]
    for share, side in ((10, 0), (90, 1)):
        assert [ranges[hz][side] for hz in CENTRES_HZ] == pytest.approx(np.percentile(levels, share, axis=0), abs=0.51)


# The limits of roles were set on the sound set and this kit; the other kits count.
LIMITS_FROM = re.compile("ForzeeStereo")


def test_roles_of_recorded_drums_are_told_on_kits_that_set_no_limit() -> None:
    """Percussion is left out: what a conga or a shaker serves as is a matter of the bar."""
    paths = [path for path in SHARE.glob("*/data/drumkits/*/*") if path.suffix.lower() in {".wav", ".flac"}]
    if not paths:
        pytest.skip("Debian's recorded drums are not installed")
    right = []
    for path in paths:
        role = role_of_name(path.name)
        if role in {None, "percussion"} or LIMITS_FROM.search(str(path)) or ELECTRONIC_KITS.search(str(path)):
            continue
        audio, rate = soundfile.read(path, always_2d=True)
        read = role_of(audio.mean(axis=1), sample_rate=rate)
        right.append(read is not None and read.role == ("open hat" if role == "cymbal" else role))
    assert len(right) > 100
    assert np.mean(right) >= 0.9
