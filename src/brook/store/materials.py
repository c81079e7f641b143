"""Materials of one's own, kept for all studies as their statements say them."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import select

from brook.store.database import Store
from brook.store.tables import MaterialRow


def kept_materials(store: Store) -> list[MaterialRow]:
    """All of them, by title."""
    with store.session() as session:
        return list(session.scalars(select(MaterialRow).order_by(MaterialRow.title)))


def keep_material(store: Store, said: dict[str, Any], who: str = "") -> bool:
    """Keeps a statement under its title, instead of one of that title; whether there was one."""
    with store.writing() as session:
        found = session.scalar(select(MaterialRow).where(MaterialRow.title == said["title"]))
        if found is None:
            session.add(MaterialRow(title=said["title"], said=json.dumps(said, ensure_ascii=False), who=who))
        else:
            found.said, found.who = json.dumps(said, ensure_ascii=False), who
    return found is not None


def drop_material(store: Store, number: int) -> None:
    """Takes one out; studies that have it keep what they say."""
    with store.writing() as session:
        found = session.get(MaterialRow, number)
        if found is not None:
            session.delete(found)
