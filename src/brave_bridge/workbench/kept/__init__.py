"""What people decided about a machine or their fleet, and what is kept of it between looks."""
