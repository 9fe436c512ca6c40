"""The reference of the core's entry points, from their docstrings: ``make docs``."""

project = "Armuto"
extensions = ["sphinx.ext.autodoc", "numpydoc"]
html_theme = "alabaster"
html_show_copyright = False
autodoc_member_order = "bysource"
numpydoc_show_class_members = False
