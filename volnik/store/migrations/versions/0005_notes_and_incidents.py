"""notes of watch, incidents of alarms"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "notes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("time_s", sa.Double(), nullable=False),
        sa.Column("saved_s", sa.Double(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("withdrawn_s", sa.Double(), nullable=True),
        sa.ForeignKeyConstraint(
            ["rig_id"], ["rigs.id"], name=op.f("fk_notes_rig_id_rigs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_notes")),
    )
    with op.batch_alter_table("notes", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_notes_rig_id"), ["rig_id"], unique=False)

    op.create_table(
        "incidents",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("start_s", sa.Double(), nullable=False),
        sa.Column("end_s", sa.Double(), nullable=True),
        sa.Column("worst", sa.Double(), nullable=False),
        sa.Column("spoke_s", sa.Double(), nullable=True),
        sa.Column("held", sa.String(), nullable=False),
        sa.Column("acked_s", sa.Double(), nullable=True),
        sa.Column("acked_by", sa.String(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["rig_id"], ["rigs.id"], name=op.f("fk_incidents_rig_id_rigs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_incidents")),
        sa.UniqueConstraint("rig_id", "key", "start_s", name=op.f("uq_incidents_rig_id_key_start_s")),
    )
    with op.batch_alter_table("incidents", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_incidents_rig_id"), ["rig_id"], unique=False)

    op.create_table(
        "alarm_states",
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["rig_id"], ["rigs.id"], name=op.f("fk_alarm_states_rig_id_rigs"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("rig_id", name=op.f("pk_alarm_states")),
    )
