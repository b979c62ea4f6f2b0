"""What can be wrong with a job or its files: where it is, and the value that mends it.

``lines`` looks at the lines of a piece before anything is cut; ``readback`` compares a written file with what was
meant.
"""
