"""What a leg would change: ordered steps, each plain data, and the hash they are approved by."""
