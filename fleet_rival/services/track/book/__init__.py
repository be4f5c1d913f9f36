"""The track book: what is written of a layout's corners, what drivers go by, what is asked, and what is to be seen
to.
"""

from fleet_rival.services.track.book.corners import change_corner
from fleet_rival.services.track.book.pictures import picture, put_picture, remove_picture
from fleet_rival.services.track.book.questions import answer_question, ask, close_question, remove_question
from fleet_rival.services.track.book.reading import reading_card
from fleet_rival.services.track.book.references import (
    carry_over,
    change_reference,
    confirm,
    decline,
    propose,
    remove_reference,
)
from fleet_rival.services.track.book.shapes import BookView
from fleet_rival.services.track.book.view import book, corner, reference

__all__ = [
    "BookView",
    "answer_question",
    "ask",
    "book",
    "carry_over",
    "change_corner",
    "change_reference",
    "close_question",
    "confirm",
    "corner",
    "decline",
    "picture",
    "propose",
    "put_picture",
    "reading_card",
    "reference",
    "remove_picture",
    "remove_question",
    "remove_reference",
]
