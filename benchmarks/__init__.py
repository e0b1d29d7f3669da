"""Speeds to hold, measured on one thread."""

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
