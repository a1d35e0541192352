"""An agent: what is done on a machine's own side for a process that is somewhere else.

``wire`` says how the two talk, ``serving`` is the machine's side and ``calling`` ours. The
machine's side is plain Python: ``plain_file`` puts it together into one file that needs no
library where it runs. Who has Brave Bridge there serves what works beside the files, too
(``brave_bridge.snapshots.agent``).
"""
