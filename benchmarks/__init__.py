"""Speed, measured as ratios within one run; ``make bench`` prints one table."""
