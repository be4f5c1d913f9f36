"""What goes over the wire, checked at the border. The front end's types are generated from these."""

from fleet_rival.api.schemas.base import *  # noqa: F403
from fleet_rival.api.schemas.board import *  # noqa: F403
from fleet_rival.api.schemas.drive import *  # noqa: F403
from fleet_rival.api.schemas.exchange import *  # noqa: F403
from fleet_rival.api.schemas.find import *  # noqa: F403
from fleet_rival.api.schemas.fix import *  # noqa: F403
from fleet_rival.api.schemas.garage import *  # noqa: F403
from fleet_rival.api.schemas.history import *  # noqa: F403
from fleet_rival.api.schemas.log import *  # noqa: F403
from fleet_rival.api.schemas.pace import *  # noqa: F403
from fleet_rival.api.schemas.people import *  # noqa: F403
from fleet_rival.api.schemas.plan import *  # noqa: F403
from fleet_rival.api.schemas.race import *  # noqa: F403
from fleet_rival.api.schemas.runs import *  # noqa: F403
from fleet_rival.api.schemas.season import *  # noqa: F403
from fleet_rival.api.schemas.telemetry import *  # noqa: F403
from fleet_rival.api.schemas.track import *  # noqa: F403
from fleet_rival.api.schemas.week import *  # noqa: F403
