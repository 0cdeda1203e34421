"""Small widgets that know values, not the document. Each runs alone: python -m soft_lantern.app.widgets.NAME."""
