"""What edits are called in the history."""

from __future__ import annotations


def attribute_label(name: str, sent: dict[str, object]) -> str:
    """What an edit that sent these fields of a thing is called."""
    if "name" in sent:
        return f"Renamed {name} to {sent['name']}"
    if "shown" in sent:
        return f"{'Showed' if sent['shown'] else 'Hid'} {name}"
    if "locked" in sent:
        return f"{'Locked' if sent['locked'] else 'Unlocked'} {name}"
    words = {
        "radius": "corners",
        "edges": "bow of the edges",
        "soft": "border",
        "first": "in",
        "last": "out",
        "fade_in": "fade in",
        "fade_out": "fade out",
        "grow": "growth",
        "sit": "sitting in",
        "placement": "fit",
        "floats": "floating",
    }
    return f"Changed {', '.join(words.get(k, k) for k in sorted(sent)) or 'nothing'} of {name}"
