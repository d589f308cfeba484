"""a name of its own for each rig and for this data, by which they are known on other machines"""

import json
import secrets

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    connection = op.get_bind()
    op.add_column("rigs", sa.Column("uid", sa.String(), nullable=False, server_default=""))
    for (rig_id,) in connection.execute(sa.text("SELECT id FROM rigs")).all():
        connection.execute(
            sa.text("UPDATE rigs SET uid = :uid WHERE id = :id"), {"uid": secrets.token_hex(12), "id": rig_id}
        )
    connection.execute(
        sa.text("INSERT INTO shop (name, body) VALUES ('origin', :body)"),
        {"body": json.dumps({"id": secrets.token_hex(8)})},
    )
