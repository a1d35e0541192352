"""Scripts about ways back: taken, read again, gone back to, started from the boot menu."""
