"""What a machine does on a sheet, in order: a program of runs, decided here once and written by any format.

A run follows one definition, the lines that a rule draws on one copy, at one or more places in turn.
"""

from nibble_core.toolpaths.plotting import Knife, plotted
from nibble_core.toolpaths.program import Definition, Engraved, Program, Run, by_process
from nibble_core.toolpaths.sharing import shared

__all__ = ["Definition", "Engraved", "Knife", "Program", "Run", "by_process", "plotted", "shared"]
