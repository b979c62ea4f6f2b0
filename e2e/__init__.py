"""Journeys through the real interface: the served application, a real browser, nothing replaced."""
