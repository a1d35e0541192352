"""What comes from outside: image bundles, depots, keys of editions."""
