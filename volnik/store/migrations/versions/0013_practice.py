"""what was practised, by whom"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "practised",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("at_s", sa.Double(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("level", sa.Integer(), nullable=False),
        sa.Column("seed", sa.Integer(), nullable=False),
        sa.Column("causes", sa.String(), nullable=False),
        sa.Column("right", sa.Boolean(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=False),
        sa.Column("soonest", sa.Double(), nullable=False),
        sa.Column("stopped", sa.Boolean(), nullable=False),
        sa.Column("proven", sa.Boolean(), nullable=False),
    )
    op.create_index("ix_practised_who", "practised", ["who"])
