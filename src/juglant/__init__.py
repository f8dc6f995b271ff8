"""Juglant: a workbench for the low end of a club track."""
