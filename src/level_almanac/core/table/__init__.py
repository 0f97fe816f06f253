"""What every report is made as, how it looks, and how its rows and columns are found."""
