"""The front: a private nginx that takes what is slow, half-sent or idle off the application.

Heads and bodies are read whole before the application hears of them, so that somebody who sends
half a request holds nobody up. One folder an instance: a start by another user would take its
temporary folders over.
"""

import os
from pathlib import Path

from house.place import StepFailed
from house.setup import program

HEAD_SECONDS = 10
BODY_SECONDS = 10
LARGEST = "12m"
"""More than any upload that a reader takes; the reader says its own limit in its own words."""
TEMPORARY = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
NO_ROOM = "There is no room left on the disk"
MAKE_ROOM = (
    "What was sent could not be taken, and nothing was changed. What is kept can be read. Have "
    "whoever runs Sortis make room, then do it again."
)
PROBLEM = '{{"type":"about:blank","title":"{title}","status":{status},"detail":"{detail}"}}'
TOO_LARGE = PROBLEM.format(
    title="The file was not taken",
    status=413,
    detail="It is larger than 12 MB, more than anything Sortis reads. Nothing was kept.",
)
FULL = PROBLEM.format(title=NO_ROOM, status=503, detail=MAKE_ROOM)
NOT_NOW = "Sortis does not answer just now"
SOON = "It is being started, or ended. Nothing is lost; try again in a moment."
AWAY = PROBLEM.format(title=NOT_NOW, status=503, detail=SOON)
AWAY_PAGE = (
    '<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="3">'
    f"<title>{NOT_NOW}</title><h1>{NOT_NOW}</h1><p>{SOON} This page asks again by itself.</p>"
    "</html>"
)


def front_command(
    folder: Path,
    port: int,
    inner: int,
    stream: int,
    *,
    also: str = "",
    head: int = HEAD_SECONDS,
    body: int = BODY_SECONDS,
) -> list[str | Path]:
    """Write the configuration of a front; the command that runs it.

    :param port: where it answers on loopback. :param inner: where the application does.
    :param stream: where the process does that tells pages what others do.
    :param also: an address at which it answers besides.
    :param head: seconds within which a head must be whole.
    :param body: seconds between two pieces of a body.
    :raises StepFailed: where nginx is not installed.
    """
    nginx = program("nginx")
    if nginx is None:
        raise StepFailed("nginx is not installed. Run ./sortis serve once as somebody who may.")
    (folder / "run").mkdir(parents=True, exist_ok=True)
    temporary = "\n".join(f"  {name}_temp_path run/{name};" for name in TEMPORARY)
    # Started by root it would run its workers as another user, who may not write here.
    user = "user root;" if os.geteuid() == 0 else ""
    (folder / "front.conf").write_text(f"""\
daemon off;
{user}
pid run/nginx.pid;
worker_processes 1;
events {{ worker_connections 2048; }}
http {{
{temporary}
  access_log off;
  server_tokens off;
  default_type application/octet-stream;
  client_header_timeout {head}s;
  client_body_timeout {body}s;
  client_max_body_size {LARGEST};
  keepalive_timeout 65s;
  large_client_header_buffers 4 16k;
  # A connection a request: the process that is idle takes it, and none that solves a plan. One that
  # is kept would send all of a page to the process that took its first.
  upstream application {{
    server 127.0.0.1:{inner};
  }}
  server {{
    listen 127.0.0.1:{port};
    {f"listen {also}:{port};" if also else ""}
    proxy_http_version 1.1;
    proxy_set_header Connection close;
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
    proxy_read_timeout 180s;
    proxy_buffers 16 16k;
    location / {{
      proxy_pass http://application;
      error_page 413 = @large;
      error_page 500 = @full;
      error_page 502 504 = @away_page;
    }}
    location /api/ {{
      proxy_pass http://application;
      error_page 413 = @large;
      error_page 500 = @full;
      error_page 502 504 = @away;
    }}
    # One connection a page, for as long as it is looked at.
    location = /api/stream {{
      proxy_pass http://127.0.0.1:{stream};
      proxy_buffering off;
      proxy_pass_header X-Accel-Buffering;
      error_page 502 504 = @away;
    }}
    location @large {{
      internal;
      default_type application/problem+json;
      return 413 '{TOO_LARGE}';
    }}
    # The front's own, which it gives where it cannot write down what is sent; those of the
    # application pass as they are.
    location @full {{
      internal;
      default_type application/problem+json;
      return 503 '{FULL}';
    }}
    location @away_page {{
      internal;
      default_type text/html;
      return 503 '{AWAY_PAGE}';
    }}
    location @away {{
      internal;
      default_type application/problem+json;
      return 503 '{AWAY}';
    }}
  }}
}}
""")
    return [nginx, "-p", folder, "-c", "front.conf", "-e", "run/error.log"]
