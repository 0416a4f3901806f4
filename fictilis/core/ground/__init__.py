"""Small things that know nothing of the job: arrays, names, errors, what a field asks for."""
