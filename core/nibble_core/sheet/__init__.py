"""What lies on one length or board of stock: copies and registration marks."""

from nibble_core.sheet.layout import Layout, grid

__all__ = ["Layout", "grid"]
