"""The week board: what is on, where each driver stands, and what needs somebody."""

from fleet_rival.services.board.answer import Board, board, catch_up
from fleet_rival.services.board.choices import start_choices
from fleet_rival.services.board.visits import visit

__all__ = ["Board", "board", "catch_up", "start_choices", "visit"]
