"""The stages over HTTP: a router each, without logic of its own."""
