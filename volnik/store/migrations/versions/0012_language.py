"""the language a rig's owner reads in; photos left out of papers"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("rigs", sa.Column("language", sa.String(), nullable=False, server_default="en"))
    op.add_column("photos", sa.Column("left_out_s", sa.Double(), nullable=True))
