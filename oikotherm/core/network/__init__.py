"""The hydraulics every service shares: friction, losses, the solver, sides, which size of pipe."""
