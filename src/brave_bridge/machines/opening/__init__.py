"""The one way to files: below a folder that is trusted, and never anywhere else.

``kernel`` opens a path below an open folder without following a link, ``beneath`` is what stands
below a folder of ours or in a tree, ``named`` what a person names, or the kernel tells of itself.
Nothing else in the house opens, makes, moves or removes a file by its path.
"""
