"""The pipeline: from a model and a plan to pieces, figures and notes."""
