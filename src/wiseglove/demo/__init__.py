"""Lantern Lane: demo footage rendered from a small scene description, with exact truth."""
