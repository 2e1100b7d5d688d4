"""Loads the tasks of all apps for the worker: procrastinate looks for a module of this name in every app."""

from pravin_server.common.jobs import perform, shrink_cache, take_up_silent, take_up_stalled

__all__ = ["perform", "shrink_cache", "take_up_silent", "take_up_stalled"]
