"""The proxy before several processes: HAProxy's configuration, for the launcher, for units, and for the docs."""

import resource
from collections.abc import Sequence
from dataclasses import dataclass

from launcher import install
from launcher.serving import MOST_BODY_BYTES

PROXY_METRICS = "/proxy-metrics"
"""Where it tells those who know the token what it has answered, refused and waited for."""
PROXY_LIVES = "/proxy-lives"
"""Where the proxy tells of itself alone, whatever stands behind it."""
MOST_LINES = 1_500
"""Connections to one server."""
MOST_CONNECTIONS = 8_000
SENTENCE = "Lull is just starting again; nothing was lost. Try again in a moment."
PAGE = f"<!doctype html><title>Lull</title><p>{SENTENCE}</p>"


@dataclass(frozen=True)
class Behind:
    """A server behind it: its address and port, and the port on which it tells whether it is ready."""

    address: str
    pulse: int


def proxy() -> str | None:
    """HAProxy, where it is on this machine."""
    return install.found("haproxy")


def connections() -> int:
    """So many it may hold: each needs two files of the system, which gives a process only so many."""
    return min(MOST_CONNECTIONS, (resource.getrlimit(resource.RLIMIT_NOFILE)[1] - 200) // 2)


def proxy_settings(at: str, servers: Sequence[Behind], certificate: str = "", most: int | None = None) -> str:
    """HAProxy's configuration, for an address and port, and what stands behind it.

    With a certificate (a file with its key) it speaks HTTPS itself, at `at`, and sends plain HTTP there.
    """
    listed = "\n".join(f"  server s{at} {one.address} check port {one.pulse}" for at, one in enumerate(servers, 1))
    words = f'content-type application/json string \'{{"detail": "{SENTENCE}"}}\''
    heavy = "http-request disable-l7-retry if { path_reg /(file|page|zoned|in-bars|data)(/|$) }"
    backends = "\n".join(
        (
            "# A take is at home in one server, which keeps it in memory. Who is away is gone round.",
            _backend("takes", listed, words, "balance hash path,field(4,/)", "hash-type consistent", heavy),
            "# Everything else goes to whoever has least to do.",
            _backend("api", listed, words, "balance leastconn"),
            _backend("pages", listed, f"content-type text/html string '{PAGE}'", "balance leastconn"),
        )
    )
    tls = "\n  ssl-default-bind-options ssl-min-ver TLSv1.2" if certificate else ""
    return f"""# HAProxy before Lull, made by Lull itself.
global
  maxconn {most or connections()}{tls}

{DEFAULTS}
frontend lull
  log stdout format raw local0
{_bound(at, certificate)}
{FRONTEND}
{backends}"""


HIDDEN = ",".join(f"regsub(^/{way}/.*,/{way}/...)" for way in ("enter", "invited", "confirm"))
DEFAULTS = f"""defaults
  mode http
  # What it answers by itself is written down; what the servers answer, they write down.
  option dontlog-normal
  log-format "proxy: %ci %HM %[var(txn.asked)] %ST %tsc %Ta ms"
  timeout connect 5s
  timeout client 30s
  # No answer takes longer; one that has to wait for a server waits so long.
  timeout server 180s
  timeout queue 30s
  timeout check 5s
  # What is sent by halves is dropped; bodies reach a server whole.
  timeout http-request 15s
  timeout http-keep-alive 75s
  option http-buffer-request
  option http-keep-alive
  # A server tells on a port of its own whether it is ready, from a thread that never waits for work.
  option httpchk GET /ready
  default-server inter 1s fastinter 200ms downinter 200ms fall 2 rise 1 maxconn {MOST_LINES}
  default-server on-marked-down shutdown-sessions
  # A question that reached nobody is asked again, of the next; what changes something never is, nor what is no small
  # thing to answer: who has been cut off by one server does not fall on the next.
  retries 3
  option redispatch 1
  retry-on conn-failure empty-response response-timeout
  http-reuse safe
"""
FRONTEND = f"""\
  # It tells that it lives by itself, whatever stands behind it; and what it has counted, those who know the token.
  monitor-uri {PROXY_LIVES}
  acl there_is_a_token env(LULL_METRICS_TOKEN) -m len gt 0
  acl knows_the_token req.hdr(authorization) -m str "Bearer ${{LULL_METRICS_TOKEN}}"
  http-request use-service prometheus-exporter if {{ path {PROXY_METRICS} }} there_is_a_token knows_the_token
  # What signs somebody in, or lets somebody in, is written down nowhere.
  http-request set-var(txn.asked) path,{HIDDEN}
  # The largest file that is taken is smaller.
  http-request deny deny_status 413 if {{ req.hdr_val(content-length) gt {MOST_BODY_BYTES} }}
  use_backend takes if {{ path_reg ^/api/takes/[0-9a-fA-F-]{{36}} }}
  use_backend api if {{ path_beg /api/ }}
  default_backend pages
"""


def example() -> str:
    """The file in the docs: HTTPS by itself, before two servers as `./lull units` has them."""
    behind = [Behind("127.0.0.1:8101", 8201), Behind("127.0.0.1:8102", 8202)]
    return proxy_settings(":443", behind, "/etc/ssl/lull/both.pem", MOST_CONNECTIONS)


def _bound(at: str, certificate: str) -> str:
    if not certificate:
        return f"  bind {at}"
    return f"""  bind {at.rpartition(":")[0]}:80
  bind {at} ssl crt {certificate} alpn h2,http/1.1
  http-request redirect scheme https code 308 unless {{ ssl_fc }}
  # The servers believe this of who has asked, and how; what others say of it is thrown away.
  http-request set-header X-Forwarded-For %[src]
  http-request set-header X-Forwarded-Proto https
  http-request set-header X-Forwarded-Host %[req.hdr(host)]"""


def _backend(name: str, servers: str, refusal: str, *options: str) -> str:
    """A part of the configuration: what answers requests of one kind, and what is said where none can."""
    lines = *options, "http-request disable-l7-retry unless METH_GET", f"http-error status 503 {refusal}"
    return "\n".join((f"backend {name}", *(f"  {line}" for line in lines), servers, ""))
