"""The real interface in headless Chromium, against a live server and a real worker on the same database."""
