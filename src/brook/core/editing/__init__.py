"""Changes of a study document, and the words the history keeps for them."""

from brook.core.editing.actions import ACTIONS
from brook.core.editing.change import act, set_value, set_values
from brook.core.editing.differences import InputLine, input_lines
from brook.core.editing.handles import Handle, Leaf, handles
from brook.core.editing.pointers import EditRefused, name_from, value_of
from brook.core.editing.words import act_words, edit_words, place_words

__all__ = [
    "ACTIONS", "EditRefused", "Handle", "InputLine", "Leaf", "act", "act_words", "edit_words", "handles", "input_lines", "name_from", "place_words", "set_value", "set_values",
    "value_of",
]  # fmt: skip
