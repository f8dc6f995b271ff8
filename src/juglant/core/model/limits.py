"""Limits that findings are judged by. This project's choice unless a line says otherwise."""

from __future__ import annotations

from juglant.core.parameter.parameter import Description, parameter


class Limits(Description):
    """Each limit can be edited with the track."""

    key_look_cents: float = parameter(10, 1, 50, "cents", "Off a note of the key: look.", title="In key, look", step=1)
    key_fix_cents: float = parameter(25, 1, 100, "cents", "Off a note of the key: fix.", title="In key, fix", step=1)
    subsonic_db: float = parameter(
        0.5, 0.1, 6, "dB", "Peak the floor filter may win before it is worth it.", title="Sub-sonic cost", step=0.1
    )
    not_back_db: float = parameter(1, 0.1, 6, "dB", "Still down at the next kept note.", title="Not back", step=0.1)
    start_click_db: float = parameter(
        -55, -90, -20, "dB", "Energy above 1 kHz the curve adds, re the low bass.", title="Start click", step=1
    )
    low_note_distortion_db: float = parameter(
        -45, -90, -20, "dB", "Share of energy above twice the note.", title="Low-note distortion", step=1
    )
    pile_up_db: float = parameter(
        0.5, 0.1, 6, "dB", "The bass still down when the next kick comes.", title="Piles up", step=0.1
    )
    pumping_db: float = parameter(
        6, 1, 24, "dB", "Range of the gain from which a duck is heard as groove.", title="Heard as groove", step=0.5
    )
    make_up_lift_db: float = parameter(
        1, 0.1, 12, "dB", "What make-up gain may lift between the keys.", title="Make-up lift", step=0.1
    )
    fit_db: float = parameter(
        1, 0.2, 12, "dB", "Low end the layers would win by starts and polarity alone.", title="Layer fit", step=0.1
    )
    adds_db: float = parameter(
        -30, -60, -10, "dB", "A layer under the sum by this much in every zone adds nothing.", title="Adds nothing", step=1
    )
    same_job_pct: float = parameter(
        92, 50, 100, "%", "Two layers whose spectra and times agree by this do the same job.", title="Same job", step=1
    )
    click_db: float = parameter(
        -50, -80, -20, "dB", "Above 2 kHz in the first 10 ms, re the whole kick: below this nothing clicks.",
        title="Click", step=1,
    )  # fmt: skip
    fold_band_db: float = parameter(
        -6, -24, -1, "dB", "What a band of a wide hit may lose in mono.", title="Lost in mono", step=0.5
    )
    rumble_peaky_db: float = parameter(
        6, 1, 24, "dB", "Strongest third octave of a rumble re the mean of the others, 30 to 90 Hz.", title="Peaky rumble",
        step=0.5,
    )  # fmt: skip
    small_system_db: float = parameter(
        -24, -60, -6, "dB", "What small systems must play of the bass, re all of it.", title="Small systems", step=1
    )
    true_peak_look_dbtp: float = parameter(
        -1, -12, 0, "dBTP", "True peak (ITU-R BS.1770-5 annex 2 method): look.", title="True peak, look", step=0.5
    )
    true_peak_fix_dbtp: float = parameter(0, -12, 3, "dBTP", "True peak: fix.", title="True peak, fix", step=0.5)
    low_middle_db: float = parameter(
        6, 1, 24, "dB", "What a carve may shift low against middle.", title="Low against middle", step=0.5
    )
    notes_apart_lu: float = parameter(
        2, 0.5, 12, "LU", "How much further apart a carve may bring the notes.", title="Notes apart", step=0.5
    )
    carve_loss_lu: float = parameter(2, 0.5, 12, "LU", "Loudness a carve may take.", title="Lost to the carve", step=0.5)
    thin_sum_db: float = parameter(
        1, 0.2, 12, "dB", "What a plan may take of how kick and bass add up.", title="Thinner sum", step=0.1
    )
    level_jump_lu: float = parameter(
        1, 0.2, 6, "LU", "What the level may change by from bar to bar.", title="Level jump", step=0.1
    )
    comb_loss_db: float = parameter(
        -3, -24, -0.5, "dB", "What a band may lose where two hits fall together.", title="Comb loss", step=0.5
    )
    beats_swell: float = parameter(0.25, 0.05, 2, "beats", "Beats heard: a swell.", title="Swell", step=0.05)
    beats_beating: float = parameter(1, 0.1, 4, "beats", "Beats heard: beating.", title="Beating", step=0.1)
