"""Files and folders as they stand on disks: covered, described, copied, removed."""
