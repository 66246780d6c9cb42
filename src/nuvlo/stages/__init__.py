"""The nine stages: (kit, build, model) → what to do, what to expect, what it means. None knows another."""
