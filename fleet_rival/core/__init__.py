"""The job's rules and computation: plain values in, plain values out.

Nothing here knows a server, a database, a clock or a random state of its own.
"""
