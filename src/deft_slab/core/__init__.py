"""The core: from a model and a plan to pieces and figures. It knows no window, no toolkit and starts no threads."""
