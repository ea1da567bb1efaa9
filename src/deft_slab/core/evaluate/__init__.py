"""The pipeline: evaluate(model, plan) -> pieces, figures and notes."""
