"""HTTP as uvicorn speaks it, but nobody holds a connection open with half of a request's head."""

from __future__ import annotations

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

SECONDS = 20.0  # from the first byte of a head to its last


class Protocol(H11Protocol):
    """Closes a connection whose next request does not begin in time once it was opened, or was begun."""

    _due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._mind_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        self._mind_head()

    def connection_lost(self, exc: Exception | None) -> None:
        super().connection_lost(exc)
        self._forget()

    @property
    def _awaits_head(self) -> bool:
        return self.conn.their_state is h11.IDLE and (self.cycle is None or self.cycle.response_complete)

    def _mind_head(self) -> None:
        if not self._awaits_head:
            self._forget()
        elif self._due is None:
            self._due = self.loop.call_later(SECONDS, self._give_up)

    def _forget(self) -> None:
        if self._due is not None:
            self._due.cancel()
            self._due = None

    def _give_up(self) -> None:
        self._due = None
        if self._awaits_head and not self.transport.is_closing():
            self.transport.close()
