"""How the server runs: several processes, so that no one request is everybody's, each with threads that wait for databases.

Nothing that matters is in a process's memory: each keeps counts and anchors of tables for itself, as hints.

ENLACE_WORKERS   how many processes (default: one for each core, at least two and at most four)
"""

import os

workers = int(os.environ.get("ENLACE_WORKERS") or min(4, max(2, os.cpu_count() or 2)))
worker_class = "gthread"
threads = 8
timeout = 120
graceful_timeout = 5
keepalive = 75
loglevel = "warning"
# Long keys travel in addresses.
limit_request_line = 8190
control_socket_disable = True
