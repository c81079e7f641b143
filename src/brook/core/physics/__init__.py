"""Models and boundary kinds: what statements of the set-up mean in the equations."""
