"""What single mistake explains the readings: the mistakes of a kit, what each would make of every reading, how likely each is, what to read next."""
