"""Commands are run as a person runs them: the servers that they start don't describe themselves."""

import os

os.environ.pop("FLEET_DESCRIBE", None)
