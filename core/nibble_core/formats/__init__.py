"""Open file formats, one module each: bytes to graphics and back.

Readers take bytes and say what was wrong with them; writers return bytes. Every job file that Nibble offers is
first read back by the reader here.
"""
