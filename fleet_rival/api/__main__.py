"""`python -m fleet_rival.api`: the web server.

A module of this name isn't run again in the processes in which files are read: each of them would import the whole
application first.
"""

import sys

from fleet_rival.api.serving import serve

if __name__ == "__main__":
    serve(*sys.argv[1:2])
