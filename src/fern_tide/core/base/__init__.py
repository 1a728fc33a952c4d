"""What every stage may use: exact time, units, errors, params, registries and targets."""
