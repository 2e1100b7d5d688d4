"""Who answers what lower layers ask of higher ones: the one place where they meet."""

from pravin_server.accounts import ports as accounts
from pravin_server.deliveries import ports as deliveries
from pravin_server.derived.plans import source_changed
from pravin_server.feeds import ports as feeds
from pravin_server.library import ports as library
from pravin_server.monitoring.policy import after_reading, after_run
from pravin_server.quarantine import cases as quarantine
from pravin_server.quarantine.carrying import read_anew
from pravin_server.quarantine.exceptions import standing_exceptions
from pravin_server.quarantine.store import set_apart
from pravin_server.readers.services import roles_of
from pravin_server.releases import contracts
from pravin_server.releases import ports as of_releases
from pravin_server.releases import queries as releases
from pravin_server.rulebooks import ports as rulebooks
from pravin_server.rulebooks.services import columns_of_interest
from pravin_server.runs import ports as runs
from pravin_server.runs import queries as told_by_runs
from pravin_server.workspace.masking import may_see


def connect() -> None:
    """Answer every port."""
    accounts.may_see.give(may_see)
    deliveries.columns_of_interest.give(columns_of_interest)
    deliveries.is_released.give(releases.is_released)
    deliveries.read_anew.give(read_anew)
    deliveries.was_read.give(after_reading)
    feeds.masked_columns.give(contracts.masked_in)
    library.released_table.give(releases.released_table)
    library.reference_of_releases.give(releases.reference_of_releases)
    of_releases.readers_of.give(roles_of)
    of_releases.table_changed.give(source_changed)
    rulebooks.newest_run_of.give(told_by_runs.newest_run_of)
    rulebooks.newest_run_of_rules.give(told_by_runs.newest_run_of_rules)
    runs.current_decisions.give(quarantine.current_decisions)
    runs.decisions_by_id.give(quarantine.decisions_by_id)
    runs.standing_exceptions.give(standing_exceptions)
    runs.run_done.give(after_run)
    runs.set_apart.give(set_apart)
