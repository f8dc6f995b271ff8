"""The duck as rows of time and gain."""

from __future__ import annotations

from juglant.core.duck.curve import GainRows

HEADER = "at_s,gain_db"


def duck_csv(rows: GainRows) -> str:
    """CSV text: `at_s,gain_db`, four decimals, linear in dB between rows."""
    lines = [f"{at:.4f},{gain:.4f}" for at, gain in zip(rows.at_s, rows.gain_db, strict=True)]
    return "\n".join([HEADER, *lines]) + "\n"
