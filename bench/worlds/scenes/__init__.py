"""The worlds: each draws clean tables of its own."""

from bench.worlds.scenes.bookings import bookings
from bench.worlds.scenes.goods import goods
from bench.worlds.scenes.members import members
from bench.worlds.scenes.persons import persons
from bench.worlds.scenes.stations import stations

WORLDS = {"bookings": bookings, "goods": goods, "members": members, "persons": persons, "stations": stations}
