"""the record of changes: who changed what when"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "changes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at_s", sa.Double(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=True),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("page", sa.String(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("fields", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_changes")),
        sqlite_autoincrement=True,
    )
    with op.batch_alter_table("changes", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_changes_rig_id"), ["rig_id"], unique=False)
