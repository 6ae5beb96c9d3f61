"""Mattes: exact-area coverage and how mattes combine."""
