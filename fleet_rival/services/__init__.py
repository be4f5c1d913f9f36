"""One module for each step of the work: loads, asks the core, writes. Transactions begin here and nowhere else."""
