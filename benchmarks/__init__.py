"""Quality and speed, printed as ratios against a named library or a bound in the same run; never asserted."""
