"""The topics of a survey, one small file each: what it queries to see, and what that means.

``QUERIES`` is asked for in the first round, ``further(seen)`` in the second where a topic
has one; ``read`` turns what came back into facts and their evidence.
"""
