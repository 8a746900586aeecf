"""Stand-ins: a plant, devices that speak real wire formats, faults by switch. All of a job and its profiles, on this machine alone."""
