"""papers as they were issued, kept byte for byte"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "papers",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("paper", sa.String(), nullable=False),
        sa.Column("size", sa.String(), nullable=False),
        sa.Column("issued_s", sa.Double(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("rests_on", sa.String(), nullable=False),
        sa.Column("record_hash", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("lines", sa.JSON(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("signed", sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(
            ["rig_id"], ["rigs.id"], name=op.f("fk_papers_rig_id_rigs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_papers")),
    )
    op.create_index(op.f("ix_papers_rig_id"), "papers", ["rig_id"])
