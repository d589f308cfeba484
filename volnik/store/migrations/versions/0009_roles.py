"""who a paired phone is: its role, and the rig an owner looks at"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("paired", sa.Column("role", sa.String(), nullable=False, server_default="installer"))
    op.add_column("paired", sa.Column("rig_id", sa.Integer(), nullable=True))
