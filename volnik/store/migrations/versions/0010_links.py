"""proofs, ticks and sheets chained by hash, so that a later change of one shows"""

import hashlib
import json

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

FORMAT = 1
CHAINED = {
    "tick": ("ticks", ("mark", "job", "step", "kind", "body", "who", "time_s", "saved_s")),
    "proof": ("proofs", ("mark", "check", "about", "verdict", "body", "source", "who", "time_s", "saved_s")),
    "sheet": ("sheets", ("made_s", "dialect", "body")),
}
"""Columns of each kind as they were chained at this version; a migration never looks at today's code."""


def upgrade() -> None:
    op.create_table(
        "links",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("origin", sa.String(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("rig_uid", sa.String(), nullable=False),
        sa.Column("format", sa.Integer(), nullable=False),
        sa.Column("body", sa.String(), nullable=True),
        sa.Column("body_hash", sa.String(), nullable=False),
        sa.Column("previous", sa.String(), nullable=False),
        sa.Column("hash", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_links")),
        sa.UniqueConstraint("origin", "seq", name=op.f("uq_links_origin_seq")),
    )
    connection = op.get_bind()
    told = connection.execute(sa.text("SELECT body FROM shop WHERE name = 'origin'")).scalar_one()
    origin = json.loads(told)["id"]
    previous = ""
    for seq, (kind, rig_uid, body) in enumerate(_rows(connection), 1):
        body_hash = hashlib.sha256(body.encode()).hexdigest()
        made = hashlib.sha256(f"{previous}\n{FORMAT}\n{kind}\n{body_hash}".encode()).hexdigest()
        connection.execute(
            sa.text(
                "INSERT INTO links (origin, seq, kind, rig_uid, format, body, body_hash, previous, hash) "
                "VALUES (:origin, :seq, :kind, :rig_uid, :format, :body, :body_hash, :previous, :hash)"
            ),
            {
                "origin": origin,
                "seq": seq,
                "kind": kind,
                "rig_uid": rig_uid,
                "format": FORMAT,
                "body": body,
                "body_hash": body_hash,
                "previous": previous,
                "hash": made,
            },
        )
        previous = made


def _rows(connection: sa.Connection) -> list[tuple[str, str, str]]:
    """What there is already, in the order it was kept: kind, rig, body."""
    found = []
    for kind, (table, columns) in CHAINED.items():
        named = ", ".join(f't."{column}"' for column in columns)
        at = "saved_s" if "saved_s" in columns else "made_s"
        asked = f"SELECT r.uid, t.{at}, t.id, {named} FROM {table} t JOIN rigs r ON r.id = t.rig_id"
        for uid, kept_s, number, *values in connection.execute(sa.text(asked)).all():
            row = dict(zip(columns, values, strict=True))
            row["body"] = json.loads(row["body"]) if isinstance(row["body"], str) else row["body"]
            found.append((kept_s, kind, number, uid, json.dumps(row, sort_keys=True)))
    return [(kind, uid, body) for _, kind, _, uid, body in sorted(found)]
