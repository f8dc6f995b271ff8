"""Every change to a track: one command each, described, validated, carried out and labelled here."""
