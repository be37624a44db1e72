"""What the application does with a shot, stage by stage."""
