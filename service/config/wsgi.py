"""The WSGI application, as waitress serves it."""

import os

from django.core.wsgi import get_wsgi_application

from config.turns import in_turn

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = in_turn(get_wsgi_application())
