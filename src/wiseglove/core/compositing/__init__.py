"""Putting an insert on a pane: warping, mixing, colour encoding."""
