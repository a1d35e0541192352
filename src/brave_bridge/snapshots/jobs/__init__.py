"""Work on a tree that helper processes share: copying, comparing, checking, staging, emptying."""
