"""What reads each format: the records of an export, as texts with the line that each stands on."""
