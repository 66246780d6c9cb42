"""The bench line: its table of commands, its grammar, and what each command does."""
