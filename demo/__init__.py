"""The demo shop's artwork and jobs, all drawn by our own code, then degraded the way clients' files are."""
