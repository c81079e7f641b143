"""The pages: FastAPI routes, Jinja templates, htmx."""
