"""Use cases that join core, store and jobs; pages and command line call nothing else."""
