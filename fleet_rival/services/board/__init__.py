"""The week board: what is on, where each driver stands, and what needs somebody."""

from fleet_rival.services.board.answer import Board, board
from fleet_rival.services.board.choices import start_choices
from fleet_rival.services.board.visits import visit

__all__ = ["Board", "board", "start_choices", "visit"]
