"""What goes over the wire, checked at the border. The front end's types are generated from these."""

from fleet_rival.api.schemas.base import *  # noqa: F403
from fleet_rival.api.schemas.drive.files import *  # noqa: F403
from fleet_rival.api.schemas.drive.runs.declared import *  # noqa: F403
from fleet_rival.api.schemas.drive.runs.sheet import *  # noqa: F403
from fleet_rival.api.schemas.drive.runs.typed import *  # noqa: F403
from fleet_rival.api.schemas.drive.telemetry import *  # noqa: F403
from fleet_rival.api.schemas.find.figures import *  # noqa: F403
from fleet_rival.api.schemas.find.pace import *  # noqa: F403
from fleet_rival.api.schemas.fix.accounts import *  # noqa: F403
from fleet_rival.api.schemas.fix.clinic import *  # noqa: F403
from fleet_rival.api.schemas.fix.setups import *  # noqa: F403
from fleet_rival.api.schemas.fix.work import *  # noqa: F403
from fleet_rival.api.schemas.log import *  # noqa: F403
from fleet_rival.api.schemas.people import *  # noqa: F403
from fleet_rival.api.schemas.plan.lineup import *  # noqa: F403
from fleet_rival.api.schemas.plan.plan import *  # noqa: F403
from fleet_rival.api.schemas.plan.readiness import *  # noqa: F403
from fleet_rival.api.schemas.race import *  # noqa: F403
from fleet_rival.api.schemas.shared.exchange import *  # noqa: F403
from fleet_rival.api.schemas.shared.history import *  # noqa: F403
from fleet_rival.api.schemas.shared.jobs import *  # noqa: F403
from fleet_rival.api.schemas.track import *  # noqa: F403
from fleet_rival.api.schemas.week.board import *  # noqa: F403
from fleet_rival.api.schemas.week.combinations import *  # noqa: F403
from fleet_rival.api.schemas.week.garage import *  # noqa: F403
from fleet_rival.api.schemas.week.season import *  # noqa: F403
