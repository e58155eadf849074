"""A psycopg connection that does not wait for ever.

The server's own time limits end a statement that takes too long, and TCP notices a machine that is gone. A server that
is there and does not answer, a frozen one, is noticed by neither: this connection gives up on it by itself.
"""

from __future__ import annotations

from typing import Any

import psycopg
from psycopg.pq import TransactionStatus

from ..limits import STATEMENT_SECONDS

SECONDS = STATEMENT_SECONDS + 5


class Impatient(psycopg.Connection[Any]):
    """Raises OperationalError when the server has not answered within SECONDS."""

    def wait(self, gen: Any, interval: float = 0.1, timeout: float | None = None) -> Any:
        try:
            return super().wait(gen, interval, SECONDS if timeout is None else timeout)
        except psycopg.OperationalError:
            if not self.closed and self.info.transaction_status == TransactionStatus.ACTIVE:
                self.close()  # it still works on the question: what it may send belongs to nobody
            raise
