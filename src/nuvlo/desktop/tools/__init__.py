"""What the Picture lane shows beside the stages: a recipe worked out, a parts list read in. Esc returns to the stage."""
