"""The methods there are, a module each; the registry finds them here."""
