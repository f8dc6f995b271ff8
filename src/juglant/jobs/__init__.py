"""Long work in processes of its own: how far it is, and a way to stop it; an edit never waits for it."""
