"""The job's reasoning. Knows no Django, network, clock, file or chance: records and arrays in, answers out.

Layers, upper may use lower: answers > evidence (sampling, waits, statements: siblings never meet)
> series > readings, ports > units, errors.
"""
