"""Figures, goals and peers: `make bench`."""
