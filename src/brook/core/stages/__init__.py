"""The stages of a variant in their order: geometry, mesh, set-up, run, readings; and what decides which are out of date."""
