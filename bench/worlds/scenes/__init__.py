"""The worlds: each draws clean tables of its own."""

from bench.worlds.scenes.bookings import bookings
from bench.worlds.scenes.depots import depots
from bench.worlds.scenes.goods import goods
from bench.worlds.scenes.members import members
from bench.worlds.scenes.persons import persons
from bench.worlds.scenes.stations import stations

WORLDS = {
    "bookings": bookings, "depots": depots, "goods": goods, "members": members, "persons": persons, "stations": stations,
}  # fmt: skip
