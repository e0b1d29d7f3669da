"""The services of a house: heating, water, gas, discharge, flue. One folder each.

spec.py is the layer below the job: roles and kinds of station, which the document is read by. rooms.py is the layer
above the design: what each service adds to sizes, rules, plan, tests, care, pack, Bench and job templates.
docs/architecture.md shows how to add one.
"""
