"""Practice: simulated specimens and faults, shot without anything real in the room."""
