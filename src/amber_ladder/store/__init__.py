"""What is kept: PostgreSQL for the records, and the originals by their checksum."""
