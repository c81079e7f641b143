"""From fields to what is asked of them: readings, pictures, files."""

from brook.core.results.readings import Judgement, judge, read_value, reading_dimension, words_of

__all__ = ["Judgement", "judge", "read_value", "reading_dimension", "words_of"]
