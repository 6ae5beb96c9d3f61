"""Keying: mattes of a subject that was shot before a coloured backing."""
