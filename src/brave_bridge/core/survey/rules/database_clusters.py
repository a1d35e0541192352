"""Which database clusters hold data, and can that still be read?"""

from brave_bridge.core.survey.databases import DatabaseCluster
from brave_bridge.core.survey.findings import Situation, caution, clear, not_applicable, rule


@rule(
    "database-clusters",
    "packages",
    asks="Which database clusters hold data, and is their server still cared for?",
    means="Data stays at its major version until somebody converts it, whichever newer server "
    "is installed beside it.",
    needs="databases",
)
def database_clusters(situation: Situation):
    facts = situation.facts
    if not facts.clusters:
        yield not_applicable("No database cluster was found", facts.where("databases"))
        return
    present = {package.name for package in facts.installed}
    offered = {offer.name for offer in facts.offers}
    for cluster in facts.clusters:
        if not any(_is_server(name, cluster) for name in present):
            yield caution(
                f"Data of {cluster.title} has no server any more",
                _told(cluster),
                f"Install {cluster.package} from where it came, and convert the data.",
            )
        elif cluster.package in present and offered and cluster.package not in offered:
            yield caution(
                f"{cluster.title} gets no fixes any more: no source has {cluster.package}",
                _told(cluster),
                "Convert the cluster to the major version that the release has, look at the "
                "result, and only then let the old one go.",
            )
        else:
            yield clear(f"{cluster.title} holds data", _told(cluster))


def _is_server(name: str, cluster: DatabaseCluster) -> bool:
    """Whether a package is a server that can read it; elsewhere names have no version."""
    return name in (cluster.package, "postgresql-server", "postgresql") or (
        name == f"postgresql{cluster.version}-server"
    )


def _told(cluster: DatabaseCluster) -> str:
    words = [f"data in {cluster.data}"]
    words += [f"port {cluster.port}"] if cluster.port else []
    words += [f"settings {cluster.settings}"] if cluster.settings else []
    return ", ".join(words)
