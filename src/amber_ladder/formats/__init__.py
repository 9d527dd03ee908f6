"""Files in and out: pictures and their metadata, rigs, plans, reports and records."""
