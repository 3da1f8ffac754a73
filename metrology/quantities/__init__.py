"""Physical quantities: one subject a module, formulas with units, valid range and source."""
