"""Language, signs and units: how texts and figures are written for a person."""
