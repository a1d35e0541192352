"""Run every measurement and print one Markdown table."""

from bench import bundle, copies, fleet, pictures, plans, proofs, real_tree, screen
from bench.measure import HEAD


def main() -> None:
    """All of them, one after the other."""
    print(HEAD, flush=True)
    for measured in (screen, pictures, bundle, fleet, real_tree, proofs, copies, plans):
        measured.run_all()


if __name__ == "__main__":
    main()
