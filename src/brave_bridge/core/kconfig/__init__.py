"""The configuration of a kernel that is built here: its language, its file, what must stay."""
