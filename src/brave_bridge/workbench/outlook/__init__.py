"""What is ahead of a machine: ways, how long they take, the next step, why there is none."""
