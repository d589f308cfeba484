"""Phones let in from the network: a code for a few minutes on the laptop, a signed cookie on the phone that
can be ended.
"""

from __future__ import annotations

import hmac
import math
import secrets
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import cast

from cachetools import LRUCache
from itsdangerous import BadSignature, URLSafeSerializer

from volnik.core.errors import InvalidInput, NotWritten
from volnik.core.limits import CODE_TRIES, CODE_WAIT_MOST_S, CODE_WAIT_S, CODE_WRONG
from volnik.core.roles import Role, has_ended
from volnik.services.acting import Acting, acting_as
from volnik.services.context import AppContext
from volnik.store import tokens as store
from volnik.store.tokens import Paired

__all__ = ["Code", "Paired", "Pairing"]

CODE_S = 300.0  # a code is read across the bay and typed on the phone
LETTERS = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"  # none that is mistaken for another
LENGTH = 8
MOST_ADDRESSES = 4096  # whose wrong codes are remembered; a network of a camp site has some hundred
SEEN_EVERY_S = 60.0  # one write a minute and phone, not one a request


@dataclass(frozen=True, slots=True)
class Code:
    """A code that lets one phone in, until when on the running clock [s], as what, and of which rig."""

    text: str
    until: float
    role: Role = "installer"
    rig_id: int | None = None


@dataclass(slots=True)
class Tries:
    """Wrong codes of one address, and until when it has to wait with the next [s]."""

    wrong: int = 0
    until: float = 0.0


class Pairing:
    """Codes in memory, paired browsers on record."""

    def __init__(self, context: AppContext, secret: str, clock: Callable[[], float] = time.monotonic) -> None:
        self.context, self.clock = context, clock
        self._signer = URLSafeSerializer(secret, salt="paired")
        self._code: Code | None = None
        self._wrong = 0
        self._chosen: tuple[Role, int | None] = ("installer", None)
        self._tries: LRUCache[str, Tries] = LRUCache(MOST_ADDRESSES)
        self.burnt_by = ""  # the address whose wrong code was one too many
        self._lock = threading.Lock()
        self._known: dict[int, Paired] = {}
        self._seen: dict[int, float] = {}
        self._last: dict[int, float] = {}

    def code(self, *, new: bool = False, role: Role = "installer", rig_id: int | None = None) -> Code:
        """The code that lets a phone in now; one that ran out is replaced by one for the role chosen last.

        Args:
            new: another one, for that role; an owner's for that rig.
        """
        with self._lock:
            if new:
                self._chosen = (role, rig_id if role == "owner" else None)
            if new or self._code is None or self.clock() >= self._code.until:
                self._code = Code(
                    "".join(secrets.choice(LETTERS) for _ in range(LENGTH)),
                    self.clock() + CODE_S,
                    *self._chosen,
                )
                self._wrong = 0
                if new:
                    self.burnt_by = ""
            return self._code

    def left_s(self) -> float:
        """How long the code still holds [s]; 0 without one."""
        return 0.0 if self._code is None else max(0.0, self._code.until - self.clock())

    def pair(self, code: str, name: str, *, address: str = "") -> str:
        """Let a browser in by the code on the laptop; returns the value of its cookie. A code serves once.

        Args:
            address: where it asks from; after some wrong codes it has to wait, longer each time.

        Raises:
            InvalidInput: naming the field at fault.
        """
        message = " ".join(name.split())
        if not 1 <= len(message) <= 40:
            raise InvalidInput({"name": "Say whose phone this is, 1 to 40 letters."})
        given = "".join(name for name in code.upper() if name.isalnum())
        with self._lock:
            tries = self._tries.setdefault(address, Tries())
            if (wait_s := tries.until - self.clock()) > 0:
                raise InvalidInput({"code": f"Too many wrong codes: try again in {math.ceil(wait_s)} s."})
            right = (
                self._code is not None
                and self.clock() < self._code.until
                and hmac.compare_digest(given.encode(), self._code.text.encode())
            )
            if not right:
                self._note_wrong(tries, address)
                raise InvalidInput(
                    {"code": "That code is wrong or ran out; the page Doors on the laptop shows a new one."}
                )
            used = cast(Code, self._code)
            self._code, self.burnt_by = None, ""
            self._tries.pop(address, None)
        with acting_as(Acting(message)), self.context.change() as work:
            made = store.add_paired(
                work.session, message, self.context.now(), role=used.role, rig_id=used.rig_id
            )
            work.record(f"paired/{made.id}", f"{message} paired as {used.role}", adds=True)
        return str(self._signer.dumps(made.id))

    def _note_wrong(self, tries: Tries, address: str) -> None:
        """Let an address wait after a wrong code, and burn the code after too many of all."""
        tries.wrong += 1
        over = tries.wrong - int(CODE_TRIES)
        if over >= 0:
            wait_s = min(CODE_WAIT_MOST_S.value, CODE_WAIT_S.value * 2.0 ** min(over, 20))
            tries.until = self.clock() + wait_s
        self._wrong += 1
        if self._code is not None and self._wrong >= CODE_WRONG.value:
            self._code, self.burnt_by = None, address

    def of(self, cookie: str) -> Paired | None:
        """The paired browser of a cookie while it is not ended, or None; notes that it was seen."""
        try:
            paired_id = self._signer.loads(cookie)
        except BadSignature:
            return None
        if not isinstance(paired_id, int):
            return None
        found = self._known.get(paired_id)
        if found is None:
            with self.context.db.reading() as session:
                found = store.paired(session, paired_id)
            if found is None:
                return None
            self._known[paired_id] = found
        now_s = self.context.now()
        if found.ended_s is not None or has_ended(
            found.paired_s, self._last.get(paired_id, found.seen_s), now_s
        ):
            return None
        if self.clock() - self._seen.get(paired_id, -1e9) > SEEN_EVERY_S:
            self._seen[paired_id] = self.clock()
            self._last[paired_id] = now_s
            # Who is let in may look about, though the disk is full and nobody can note it.
            with suppress(NotWritten), self.context.change() as work:
                store.change_paired(work.session, paired_id, seen_s=self.context.now())
        return found

    def all(self) -> list[Paired]:
        """Every browser ever let in, newest first; one whose time ran out as ended then."""
        with self.context.db.reading() as session:
            found = store.all_paired(session)
        now_s = self.context.now()
        return [
            replace(one, ended_s=one.seen_s)
            if one.ended_s is None and has_ended(one.paired_s, one.seen_s, now_s)
            else one
            for one in found
        ]

    def end(self, paired_id: int) -> None:
        """End a browser at once."""
        with self.context.change() as work:
            session = work.session
            store.change_paired(session, paired_id, ended_s=self.context.now())
            work.record(f"paired/{paired_id}", "a paired browser ended")
        self._known.pop(paired_id, None)
