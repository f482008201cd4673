"""Instruments: stateful computations of the job, one module or folder each. `kinds` finds them by itself."""
