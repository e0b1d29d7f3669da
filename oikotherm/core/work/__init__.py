"""Work on site: the plan and its order, records of what was done, tests and their verdicts."""
