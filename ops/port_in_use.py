"""Exit with 0 when something answers on this loopback port, else with 1."""

import socket
import sys

with socket.socket() as s:
    s.settimeout(0.5)
    sys.exit(0 if s.connect_ex(("127.0.0.1", int(sys.argv[1]))) == 0 else 1)
