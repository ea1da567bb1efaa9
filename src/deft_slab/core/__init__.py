"""Model + plan -> pieces + figures. Knows no window, no toolkit and no threads of its own."""
