"""What signing in asks of the layers above."""

from django.http import HttpRequest

from pravin_server.common.ports import Port

may_see: Port[[HttpRequest], None] = Port("whether a person may see what is asked for; it raises NotAllowed when not")
