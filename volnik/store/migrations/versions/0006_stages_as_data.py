"""where a rig's stages stand, kept as fields instead of sentences"""

import json
import re

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

NUMBERS = re.compile(r"^(\d+) of (\d+) ")


def upgrade() -> None:
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, standing FROM rigs WHERE standing IS NOT NULL")).all()
    for rig_id, text in rows:
        body = json.loads(text) if isinstance(text, str) else text
        if not isinstance(body, dict):
            continue
        connection.execute(
            sa.text("UPDATE rigs SET standing = :body WHERE id = :id"),
            {"body": json.dumps(with_fields(body)), "id": rig_id},
        )


def with_fields(body: dict[str, object]) -> dict[str, object]:
    """A summary with the sentences of version 0005 as the fields they told of."""
    path, wireup, prove = (str(body.pop(f"{name}_lacks", "")) for name in ("path", "wireup", "prove"))
    stops = re.match(r"^(\d+) things? to stop", path)
    begun = not path.startswith("no plan")
    settled = NUMBERS.match(wireup)
    proven = NUMBERS.match(prove)
    still = re.match(r"^open: (.*)$", prove)
    devices = int(proven[2]) if proven else 0
    return {
        **body,
        "plan": {"begun": begun, "stops": int(stops[1]) if stops else 0},
        "wireup": {
            "planned": begun,
            "begun": settled is not None,
            "settled": int(settled[1]) if settled else 0,
            "steps": int(settled[2]) if settled else int(wireup == "not begun" and begun),
            "stands": wireup == "",
        },
        "prove": {
            "begun": proven is not None or still is not None or prove == "",
            "proven": int(proven[1]) if proven else 1,
            "devices": max(devices, 1),
            "open": [] if prove == "" else [still[1].capitalize() if still else "Paths proven"],
        },
    }
