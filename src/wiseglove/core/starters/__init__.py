"""Outlines to begin with, proposed from the picture: hands by a small model, and what differs from a clean background."""
