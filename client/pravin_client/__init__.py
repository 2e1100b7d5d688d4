"""A client of Pravin's API for programs: every operation by its name, and the work of a delivery from its files to its release.

with Client("http://127.0.0.1:8700", token) as pravin:
    delivery = pravin.deliver("samples", [Path("march.csv")])
    pravin.wait(delivery)
"""

from pravin_client.client import Client
from pravin_client.errors import ClientError, Refused, Unreachable, WorkFailed

__all__ = ["Client", "ClientError", "Refused", "Unreachable", "WorkFailed"]
