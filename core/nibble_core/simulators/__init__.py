"""Simulated machines: they read what the formats wrote, and share no code with those who wrote it."""

from nibble_core.simulators.drag_knife import Cut, drag_knife

__all__ = ["Cut", "drag_knife"]
