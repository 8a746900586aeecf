"""Stand-ins and ports: the plant against the simulation, devices against their model, wires against independent clients."""
