"""The command line: plain folders and files, no database, no server."""
