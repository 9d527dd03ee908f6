"""The use cases, a module a stage: where core, formats, bench and store meet."""
