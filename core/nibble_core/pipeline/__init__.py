"""From a ticket to results: one module a stage, each adapting the ticket's specification to the packages below.

Every stage is a pure function kept under a key of its version, its specification and the keys of its inputs, so
that a change re-does only what depends on it.
"""
