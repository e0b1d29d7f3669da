"""The order of assembly: what can be put together after what. model.py says what is looked at and what a joint needs;
planner.py finds an order; figures.py has the sums a fitter asks for by themselves."""
