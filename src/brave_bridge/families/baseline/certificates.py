"""Certificates that servers of the machine present, with the day on which each ends."""

from brave_bridge.core.formats.certificate import certificate_end
from brave_bridge.core.survey.facts import Facts
from brave_bridge.core.survey.topic import TopicSeen
from brave_bridge.families.baseline.reading import not_read, topic
from brave_bridge.machines.queries import Contents, Seen

NAME = "certificates"
_PLACES = (
    "/etc/letsencrypt/live/*/cert.pem",
    "/etc/letsencrypt/live/*/fullchain.pem",
    "/etc/ssl/private/*.crt",
    "/etc/ssl/local/*.pem",
    "/etc/ssl/local/*.crt",
    "/etc/pki/tls/certs/*.crt",
    "/etc/nginx/ssl/*",
    "/etc/apache2/ssl/*",
    "/etc/ssl/certs/ssl-cert-*.pem",
)
QUERIES = (Contents(_PLACES, 64 * 1024),)


def read(facts: Facts, seen: Seen) -> TopicSeen:
    """See the package's description; the day is ISO 8601."""
    values = {}
    for pattern in _PLACES:
        for path, text in seen.texts(pattern):
            if ends := certificate_end(text):
                values[path] = f"until {ends}"
    where = "/etc/letsencrypt, /etc/ssl, /etc/pki, servers' own folders"
    return topic(NAME, values, where, not_read(seen, _PLACES))
