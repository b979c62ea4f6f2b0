"""Production lines drawn from shapes: what a knife or a beam follows."""
