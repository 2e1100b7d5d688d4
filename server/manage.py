"""Django's command line."""

import os
import sys

from django.core.management import execute_from_command_line

from pravin_core.collecting import collect_seldom

if __name__ == "__main__":
    collect_seldom()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "pravin_server.config.settings")
    execute_from_command_line(sys.argv)
