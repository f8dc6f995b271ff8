"""A way that is proposed, as it is heard before it is taken."""

from __future__ import annotations

from juglant.core.loop.render import render_stem
from juglant.core.measure.level import no_louder
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import BASS
from juglant.core.model.track import Track
from juglant.core.plans.proposals import Kind, proposal
from juglant.formats.wav import wav_float
from juglant.services.separate import beside


def proposal_wav(track: Track, kind: Kind, proposal_id: str, part: str = BASS_PART) -> bytes:
    """What a way makes of kick and bass, no louder than they are now, as a 32-bit float WAV; raises NoSuchPart.

    With the part that it ducks; of one that evens the line the bass alone, before carve and duck.
    """
    made = proposal(track, kind, proposal_id, part).track
    if kind == "evening":
        rate = track.sheet.sample_rate
        now, evened = (render_stem(one, BASS.of("before")) for one in (track, made))
        return wav_float(no_louder(evened, now, sample_rate=rate), rate)
    return beside(track, made, (part,) if kind == "returns" and part not in (BASS_PART, KICK_ID) else ())
