"""People: who may sign in, with what secret, and what they may do with which study. As long as there is nobody, everything is open to whoever reaches the server."""

from __future__ import annotations

import hashlib
import secrets
import time
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from functools import cache
from typing import Literal, cast

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from brook.store.engine import Database
from brook.store.tables import AuditRow, PersonRow, SessionRow, ShareRow, StudyRow, TokenRow, now

Role = Literal["view", "edit", "administer"]
ROLES: tuple[Role, ...] = ("view", "edit", "administer")
EVERYBODY = 0  # stands for all who are signed in
STAYS = timedelta(days=14)  # that a browser stays signed in
SHORTEST, LONGEST = 10, 200  # letters of a password
MOST_TOKENS = 50
BELIEVED = 1.0  # seconds
KEPT_LINES = 200_000  # of what was done
COMMON = ("password", "passwort", "1234567890", "qwertyuiop", "letmein", "administrator")


class PersonRefused(ValueError):
    """Why a name, a password or a change of people does not stand."""


@dataclass(frozen=True)
class Visitor:
    """Who asks: what they may do with each study, by its number. `most` is what a token allows at most."""

    id: int = EVERYBODY
    name: str = ""
    administers: bool = False
    roles: dict[int, Role] = field(default_factory=dict)
    most: Role = "administer"
    by_token: bool = False

    def role(self, study: int) -> Role | None:
        """The most that may be done with a study, None for nothing."""
        role = "administer" if self.administers else self.roles.get(study)
        return None if role is None else min(role, self.most, key=ROLES.index)

    def may(self, study: int, wanted: Role) -> bool:
        role = self.role(study)
        return role is not None and ROLES.index(role) >= ROLES.index(wanted)

    @property
    def keeps_people(self) -> bool:
        return self.administers and not self.by_token


OPEN = Visitor(name="", administers=True)  # as long as nobody has to sign in


def hash_of(secret: str) -> str:
    """How a secret of much chance is kept: who reads the database cannot use it."""
    return hashlib.sha256(secret.encode()).hexdigest()


class People:
    """People of a data folder."""

    def __init__(self, store: Database):
        self._store = store
        self._there, self._looked = False, float("-inf")

    # -- who there is -------------------------------------------------------------------------

    def are_there(self) -> bool:
        """Somebody may sign in, so everybody has to. That nobody may is believed for a second: the first is added beside a server."""
        if self._there or time.monotonic() > self._looked + BELIEVED:
            with self._store.session() as session:
                self._there = session.scalar(select(PersonRow.id).limit(1)) is not None
            self._looked = time.monotonic()
        return self._there

    @property
    def is_known_empty(self) -> bool:
        """That nobody may sign in was looked up just now."""
        return not self._there and time.monotonic() <= self._looked + BELIEVED

    def every(self) -> list[PersonRow]:
        with self._store.session() as session:
            return list(session.scalars(select(PersonRow).order_by(PersonRow.name)))

    def add(self, name: str, password: str, administers: bool = False) -> int:
        """The number of a new person. Raises `PersonRefused`."""
        name = _name(name)
        kept = _kept(password, name)
        with self._store.writing() as session:
            if session.scalar(select(PersonRow.id).where(func.lower(PersonRow.name) == name.lower())) is not None:
                raise PersonRefused(f"there is a {name} already")
            if not administers and session.scalar(select(PersonRow.id).limit(1)) is None:
                raise PersonRefused("the first one has to administer, or nobody could add others")
            row = PersonRow(name=name, password=kept, administers=administers)
            session.add(row)
            session.flush()
            self._there = True
            return row.id

    def change_password(self, person: int, password: str, keep: str = "") -> None:
        """Gives somebody another password, and ends their sessions but the one of the secret to `keep`. Raises `PersonRefused`."""
        with self._store.session() as session:
            row = _person(session, person)
        kept = _kept(password, row.name)
        with self._store.writing() as session:
            session.execute(update(PersonRow).where(PersonRow.id == person).values(password=kept))
            session.execute(
                delete(SessionRow).where(SessionRow.person_id == person, SessionRow.secret != hash_of(keep))
            )

    def set_administers(self, person: int, administers: bool) -> None:
        """Raises `PersonRefused` for the last who does."""
        with self._store.writing() as session:
            row = _person(session, person)
            if not administers:
                _mind_last(session, row)
            row.administers = administers

    def remove(self, person: int) -> None:
        """Takes somebody away with sessions, tokens and roles; what they did stays under their name. Raises `PersonRefused`."""
        with self._store.writing() as session:
            row = _person(session, person)
            others = session.scalar(select(func.count()).select_from(PersonRow).where(PersonRow.id != person)) or 0
            if others:
                _mind_last(session, row)
            session.execute(delete(ShareRow).where(ShareRow.person_id == person))
            session.delete(row)

    # -- signing in ---------------------------------------------------------------------------

    def check(self, name: str, password: str) -> int | None:
        """The number of the person whose name and password these are; it takes as long where there is no such person."""
        from argon2.exceptions import Argon2Error, InvalidHashError

        with self._store.session() as session:
            row = session.scalar(select(PersonRow).where(func.lower(PersonRow.name) == _plain(name).lower()))
        try:
            _hasher().verify(row.password if row is not None else _nobodys(), _folded(password)[:LONGEST])
        except (Argon2Error, InvalidHashError):
            return None
        return row.id if row is not None else None

    def begin(self, person: int) -> str:
        """The secret of a new session."""
        secret = secrets.token_urlsafe(32)
        with self._store.writing() as session:
            session.execute(delete(SessionRow).where(SessionRow.ends < now()))
            session.add(SessionRow(secret=hash_of(secret), person_id=person, ends=now() + STAYS))
        return secret

    def end(self, secret: str) -> None:
        with self._store.writing() as session:
            session.execute(delete(SessionRow).where(SessionRow.secret == hash_of(secret)))

    def of_session(self, secret: str) -> Visitor | None:
        """Who is signed in with a secret."""
        with self._store.session() as session:
            row = session.get(SessionRow, hash_of(secret))
            return _visitor(session, row.person_id) if row is not None and row.ends > now() else None

    # -- programs -----------------------------------------------------------------------------

    def add_token(self, person: int, title: str, role: Role) -> str:
        """The secret of a new token, which is shown this once. Raises `PersonRefused`."""
        title = _plain(title)
        if not title or len(title) > 60 or role not in ROLES:
            raise PersonRefused("a token needs a title of at most 60 letters, and a role")
        secret = f"brook_{secrets.token_urlsafe(32)}"
        with self._store.writing() as session:
            if (session.scalar(select(func.count()).select_from(TokenRow).where(TokenRow.person_id == person)) or 0) >= MOST_TOKENS:  # fmt: skip
                raise PersonRefused(f"nobody has more than {MOST_TOKENS} tokens; drop one first")
            session.add(TokenRow(secret=hash_of(secret), person_id=person, title=title, role=role))
        return secret

    def tokens(self, person: int) -> list[TokenRow]:
        with self._store.session() as session:
            return list(session.scalars(select(TokenRow).where(TokenRow.person_id == person).order_by(TokenRow.id)))

    def drop_token(self, person: int, token: int) -> None:
        with self._store.writing() as session:
            session.execute(delete(TokenRow).where(TokenRow.person_id == person, TokenRow.id == token))

    def of_token(self, secret: str) -> Visitor | None:
        with self._store.session() as session:
            row = session.scalar(select(TokenRow).where(TokenRow.secret == hash_of(secret)))
            found = _visitor(session, row.person_id, cast(Role, row.role), True) if row is not None else None
        if row is not None and (row.used is None or now() - row.used > timedelta(minutes=10)):
            with self._store.writing() as session:
                session.execute(update(TokenRow).where(TokenRow.id == row.id).values(used=now()))
        return found

    # -- studies ------------------------------------------------------------------------------

    def own(self, slug: str, person: int) -> None:
        """Whoever made a study administers it."""
        with self._store.writing() as session:
            study = session.scalar(select(StudyRow.id).where(StudyRow.slug == slug))
            if study is not None and person != EVERYBODY:
                session.merge(ShareRow(study_id=study, person_id=person, role="administer"))

    def share(self, study: int, person: int, role: Role | None) -> None:
        """Says what somebody, or everybody, may do with a study; None for nothing. Raises `PersonRefused`."""
        if person == EVERYBODY and role == "administer":
            raise PersonRefused("everybody may view or edit a study, but not administer it")
        with self._store.writing() as session:
            if person != EVERYBODY:
                _person(session, person)
            session.execute(delete(ShareRow).where(ShareRow.study_id == study, ShareRow.person_id == person))
            if role is not None:
                session.add(ShareRow(study_id=study, person_id=person, role=role))

    def shares(self, study: int) -> dict[int, Role]:
        with self._store.session() as session:
            rows = session.scalars(select(ShareRow).where(ShareRow.study_id == study))
            return {row.person_id: cast(Role, row.role) for row in rows}

    # -- what was done ------------------------------------------------------------------------

    def note(self, who: str, what: str, study: str = "", from_where: str = "") -> None:
        """A line of what was done."""
        with self._store.writing() as session:
            row = AuditRow(who=who[:60], what=what[:200], study=study[:80], from_where=from_where[:60])
            session.add(row)
            session.flush()
            if row.id % 1000 == 0:
                session.execute(delete(AuditRow).where(AuditRow.id <= row.id - KEPT_LINES))

    def done(self, count: int = 200, study: str = "", before: int | None = None) -> Sequence[AuditRow]:
        """The newest lines, of all or of one study."""
        query = select(AuditRow).order_by(AuditRow.id.desc()).limit(count)
        query = query.where(AuditRow.study == study) if study else query
        query = query.where(AuditRow.id < before) if before else query
        with self._store.session() as session:
            return list(session.scalars(query))


def _visitor(session: Session, person: int, most: Role = "administer", by_token: bool = False) -> Visitor | None:
    row = session.get(PersonRow, person)
    if row is None:
        return None
    roles: dict[int, Role] = {}
    for share in session.scalars(select(ShareRow).where(ShareRow.person_id.in_((EVERYBODY, person)))):
        role = cast(Role, share.role)
        roles[share.study_id] = max(roles.get(share.study_id, role), role, key=ROLES.index)
    return Visitor(row.id, row.name, row.administers, roles, most, by_token)


def _person(session: Session, person: int) -> PersonRow:
    row = session.get(PersonRow, person)
    if row is None:
        raise PersonRefused("there is no such person any more")
    return row


def _mind_last(session: Session, row: PersonRow) -> None:
    others = select(PersonRow.id).where(PersonRow.administers, PersonRow.id != row.id).limit(1)
    if row.administers and session.scalar(others) is None:
        raise PersonRefused(f"{row.name} is the only one who administers; let somebody else do so first")


def _plain(text: str) -> str:
    return " ".join(unicodedata.normalize("NFC", text).split())


def _folded(password: str) -> str:
    """A password as it is kept: the same letters typed in another way are the same."""
    return unicodedata.normalize("NFKC", password)


def _name(text: str) -> str:
    name = _plain(text)
    if not 1 <= len(name) <= 60 or not name.isprintable():
        raise PersonRefused("a name has 1 to 60 letters")
    return name


def _kept(password: str, name: str) -> str:
    """How a password is kept. Raises `PersonRefused`."""
    folded = _folded(password)
    if not SHORTEST <= len(folded) <= LONGEST:
        raise PersonRefused(f"a password has {SHORTEST} to {LONGEST} letters")
    low = folded.lower()
    if len(set(low)) < 5 or low == name.lower() or any(low.startswith(word) for word in COMMON):
        raise PersonRefused("this password is among the first that anybody tries; take another, say four words")
    return str(_hasher().hash(folded))


@cache
def _hasher():  # type: ignore[no-untyped-def]
    from argon2 import PasswordHasher  # only where somebody signs in

    return PasswordHasher(time_cost=2, memory_cost=65536, parallelism=1)


@cache
def _nobodys() -> str:
    return str(_hasher().hash(secrets.token_urlsafe(16)))
