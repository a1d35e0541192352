"""Can there be more files on each file system?"""

from brave_bridge.core.survey.findings import Situation, clear, rule, stop

LEAST = 20_000
"""Files that a leg may add."""


@rule(
    "free-inodes",
    "space",
    asks="Can there be more files on each file system?",
    means="A file system without inodes refuses new files although it has room.",
    overrule=True,
    half_way=True,
)
def free_inodes(situation: Situation):
    counted = [space for space in situation.facts.space if space.total_inodes]
    scarce = [s for s in counted if s.path in ("/", "/usr", "/var") and s.free_inodes < LEAST]
    for space in scarce:
        yield stop(
            f"Only {space.free_inodes} more files fit on {space.path}",
            f"statvfs {space.path}: {space.free_inodes} of {space.total_inodes} inodes free",
            "Delete what there are many small files of: caches, mail queues, old sessions.",
        )
    if counted and not scarce:
        yield clear("There are inodes enough", f"statvfs of {len(counted)} file systems")
