#!/usr/bin/env python
"""Django's command line for the studio."""

import gc
import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    gc.disable()  # nothing of what is loaded now is ever given up; looking for that takes a tenth of the start
    import django
    from django.core.management import execute_from_command_line

    django.setup()
    gc.freeze()
    gc.enable()
    execute_from_command_line(sys.argv)
