"""How the documentation is built: offline, every warning an error."""

from __future__ import annotations

import pennyweight

project = "Pennyweight"
author = "The Pennyweight founders"
copyright = "2026, The Pennyweight founders"
version = release = pennyweight.__version__

extensions = ["myst_parser", "numpydoc", "sphinx.ext.autodoc", "sphinx_click"]
exclude_patterns = ["starters/README.md"]
suppress_warnings = ["myst.header"]

html_theme = "pydata_sphinx_theme"
html_title = "Pennyweight"
html_static_path = ["_static"]
html_css_files = ["pages.css"]
smartquotes = False
html_show_sourcelink = False
html_theme_options = {
    "show_nav_level": 2,
    "show_toc_level": 2,
    "navigation_with_keys": False,
    "navbar_align": "left",
    "header_links_before_dropdown": 6,
    "secondary_sidebar_items": ["page-toc"],
    "footer_start": ["copyright"],
    "footer_end": [],
    "pygments_light_style": "a11y-high-contrast-light",
    "pygments_dark_style": "a11y-high-contrast-dark",
}
html_sidebars: dict[str, list[str]] = {"index": [], "tour": []}

myst_heading_anchors = 3
myst_enable_extensions = ["colon_fence", "deflist"]

autodoc_typehints = "none"  # they stand beside the parameters
autodoc_member_order = "bysource"
numpydoc_show_class_members = False
numpydoc_class_members_toctree = False
