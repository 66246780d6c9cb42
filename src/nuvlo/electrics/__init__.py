"""What the circuit means where it is used: supplies and heat, ratings, straps, radio, racks, pedalboards, cabinets, crossovers, panels."""
