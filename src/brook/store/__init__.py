"""Studies, runs and results: SQLite for what is said, files beside it for arrays."""

from brook.store.database import Store, StoreError
from brook.store.files import ResultFiles
from brook.store.history import Author, Meanwhile, NotOwn

__all__ = ["Author", "Meanwhile", "NotOwn", "ResultFiles", "Store", "StoreError"]
