"""The picture of each view as geometry: what the list says, to be seen at one look."""
