"""Ways back: what each holds, what going back would do, and going."""
