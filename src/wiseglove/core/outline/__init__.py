"""Animated outlines: keys, in-betweening and edits that act on many keys."""
