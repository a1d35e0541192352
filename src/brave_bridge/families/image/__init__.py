"""Systems that are one image in one of two slots. docs/bundles.md has their files."""
