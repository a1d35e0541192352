"""The rescue tool: a return that needs nothing but plain Python, the snapshot and the tree.

``build`` puts it together, into one file, from the very modules that the full program
returns with; ``tool`` is its command line and ``stand_ins`` what it has in place of packages.
"""
