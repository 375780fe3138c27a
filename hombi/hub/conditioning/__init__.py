"""How entities' values are conditioned: by which steps, since when, and over the past.

An entity has a list of plans. Each holds from a moment on, and from its moment on the
latest one counts: one that holds from the beginning corrects the whole past. Samples
are never changed, so a plan can be taken back, and what was before comes back with it.
"""
