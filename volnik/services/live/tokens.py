"""Keys to one address each: made, shown once, listed, ended."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass

from volnik.core.errors import InvalidInput
from volnik.services.context import AppContext
from volnik.store import rigs as rig_store
from volnik.store import tokens as store
from volnik.store.tokens import Token
from volnik.store.tokens import TokenKind as TokenKind

__all__ = [
    "KINDS",
    "Made",
    "Token",
    "address_of",
    "all_tokens",
    "bridges_of",
    "end",
    "find",
    "make",
    "opens",
    "set_interval",
]

KINDS: dict[TokenKind, str] = {
    "bridge": "bridge: readings of one rig",
    "bench": "bench rig: simulated readings of one rig",
    "calendar": "calendar: what is due on all rigs",
    "metrics": "metrics: every rig's figures",
}
INTERVAL_S = 1.0


@dataclass(frozen=True, slots=True)
class Made:
    """A new key with its secret, which is shown this once."""

    token: Token
    secret: str


def digest(secret: str) -> str:
    """What is kept of a key. A key is long and random, so a plain digest is enough."""
    return hashlib.sha256(secret.encode()).hexdigest()


def address_of(token: Token) -> str:
    """The one address a key opens."""
    return f"/api/rigs/{token.rig_id}/readings" if token.is_bridge else f"/api/{token.kind}"


def make(
    context: AppContext, *, kind: TokenKind, rig_id: int | None, name: str, interval_s: float = INTERVAL_S
) -> Made:
    """Make a key.

    Raises:
        InvalidInput: naming the field at fault.
        NotFound: when a bridge's rig is not there.
    """
    problems = {}
    if kind not in KINDS:
        problems["kind"] = "Choose what the key is for."
    if not 1 <= len(name.strip()) <= 60:
        problems["name"] = "Give the key a name you would know it by, 1 to 60 letters."
    if kind in ("bridge", "bench") and rig_id is None:
        problems["rig_id"] = "Choose whose readings it brings."
    if not 0.1 <= interval_s <= 86_400.0:
        problems["interval_s"] = "A bridge reports every 0.1 to 86 400 seconds."
    if problems:
        raise InvalidInput(problems)
    secret = secrets.token_urlsafe(24)
    with context.change() as work:
        session = work.session
        if rig_id is not None:
            rig_store.rig(session, rig_id)
        token = store.add_token(
            session,
            kind=kind,
            rig_id=rig_id,
            name=name.strip(),
            digest=digest(secret),
            interval_s=interval_s,
            made_s=context.now(),
        )
        work.record(f"keys/{token.id}", f"key “{token.name}” made: {KINDS[kind]}", rig_id=rig_id)
    return Made(token, secret)


def all_tokens(context: AppContext) -> list[Token]:
    """Every key, ended ones too."""
    with context.db.reading() as session:
        return store.tokens(session)


def bridges_of(context: AppContext, rig_id: int) -> list[Token]:
    """The keys by which readings of a rig came, oldest first; ended ones too."""
    with context.db.reading() as session:
        return [token for token in store.tokens(session, rig_id=rig_id) if token.is_bridge]


def end(context: AppContext, token_id: int) -> Token:
    """End a key at once; raises NotFound without one of that number."""
    with context.change() as work:
        token = store.change_token(work.session, token_id, ended_s=context.now())
        work.record(f"keys/{token_id}", f"key “{token.name}” ended", rig_id=token.rig_id)
        return token


def set_interval(context: AppContext, token_id: int, interval_s: float) -> Token:
    """Say anew how often a bridge reports; it holds from its next reading on.

    Raises:
        InvalidInput: for an interval no bridge has.
        NotFound: without a key of that number.
    """
    if not 0.1 <= interval_s <= 86_400.0:
        raise InvalidInput({"interval_s": "A bridge reports every 0.1 to 86 400 seconds."})
    with context.change() as work:
        token = store.change_token(work.session, token_id, interval_s=interval_s)
        what = f"key “{token.name}” reports every {interval_s:g} s"
        work.record(f"keys/{token_id}", what, rig_id=token.rig_id)
        return token


def opens(context: AppContext, secret: str, kind: TokenKind) -> bool:
    """Whether a key opens the calendar, or the metrics."""
    token = find(context, secret)
    return token is not None and token.kind == kind


def find(context: AppContext, secret: str) -> Token | None:
    """The key of that secret while it is not ended, or None."""
    if not secret or len(secret) > 200 or not secret.isascii():
        return None
    with context.db.reading() as session:
        token = store.token_by_digest(session, digest(secret))
    return token if token is not None and token.ended_s is None else None
