"""Named settings as somebody has changed them: only names that there are, only values that can be."""

from collections.abc import Mapping
from dataclasses import fields
from typing import TYPE_CHECKING, Any, Final

if TYPE_CHECKING:
    from _typeshed import DataclassInstance

__all__ = ["BadSetting", "BadValue", "checked"]

_MOST: Final = 1e9


class BadSetting(ValueError):
    """Settings that can't be used."""


class BadValue(BadSetting):
    """A setting that isn't known, or a value that can't be used for it.

    Attributes:
        name: of the setting.
        wanted: what it must be.
    """

    def __init__(self, name: str, wanted: str) -> None:
        super().__init__(f"setting {name} {wanted}")
        self.name, self.wanted = name, wanted


def checked(usual: "DataclassInstance", values: Mapping[str, Any]) -> dict[str, Any]:
    """What is changed in some settings, as the numbers that they are.

    Args:
        usual: the settings as they usually are.
        values: name to value; None where it is as usual and that is none.

    Raises:
        BadValue: an unknown name, or a value of the wrong kind or below zero.
    """
    known = {field.name for field in fields(usual)}
    changes: dict[str, Any] = {}
    for name, value in values.items():
        if name not in known:
            raise BadValue(name, "isn't known")
        default = getattr(usual, name)
        if value is None and default is None:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value < _MOST:
            raise BadValue(name, f"must be a number of 0 or more, not {value!r}")
        if isinstance(default, int) and value != int(value):
            raise BadValue(name, f"must be a whole number, not {value!r}")
        changes[name] = int(value) if isinstance(default, int) else float(value)
    return changes
