"""The web application: one module per screen, templates of the same name, and the JSON beside them."""
