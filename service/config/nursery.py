"""Imported by the process that children are forked from, once, before there are any; see ``files.children``."""

import django

from files.children import die_with_parent

die_with_parent()
django.setup()

import production.asked  # noqa: E402, F401 - all that work needs
from nibble_core.pipeline.read import inspect  # noqa: E402, F401 - all that reading needs
