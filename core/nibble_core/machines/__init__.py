"""Sending a program to a machine: line by line, each answered before the next, over whatever driver it has."""

from nibble_core.machines.driver import Driver, Lost, State
from nibble_core.machines.sending import Sent, resumed, send
from nibble_core.machines.socket_driver import SocketDriver

__all__ = ["Driver", "Lost", "Sent", "SocketDriver", "State", "resumed", "send"]
