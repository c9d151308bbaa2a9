"""How the site is built: ``make docs``."""

project = "Kotrel"
author = "The Kotrel developers"
extensions = ["myst_parser"]
exclude_patterns = ["site", "json-schemas.json"]
html_theme = "furo"
html_title = "Kotrel"
html_show_sphinx = False
html_show_copyright = False
html_copy_source = False
myst_heading_anchors = 4
suppress_warnings = ["myst.xref_missing", "misc.highlighting_failure"]
highlight_language = "none"
smartquotes = False  # an option is --all, not a dash
nitpicky = False
