"""The shot: its document, the edits that change it, and the renderer that asks core for a frame."""
