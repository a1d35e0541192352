"""Run every measurement and print one Markdown table."""

from bench import bundle, copies, fleet, pictures, plans, proofs, real_tree, screen
from bench.measure import HEAD

print(HEAD, flush=True)
screen.run_all()
pictures.run_all()
bundle.run_all()
fleet.run_all()
real_tree.run_all()
proofs.run_all()
copies.run_all()
plans.run_all()
