"""Messages over Redis: waking a worker, and telling web processes that there are events. None of them must arrive.

What must not be lost is in MariaDB: a worker finds jobs that it wasn't told of, and a web process looks for events by
    itself.
"""

import logging
import os
from functools import cache

import redis
from celery import Celery
from kombu.exceptions import OperationalError

__all__ = ["EVENTS", "FEED", "celery", "connection", "tell_events", "tell_feed", "wake"]

EVENTS = "fleet-rival:events"
"""The channel on which it is said that there are new events."""
FEED = "fleet-rival:feed"
"""The channel on which it is said that rigs have sent something."""
log = logging.getLogger(__name__)


@cache
def celery() -> Celery:
    """The application of the workers, with its messages in Redis."""
    made = Celery("fleet_rival", broker=os.environ["FLEET_REDIS_URL"])
    made.conf.update(
        task_ignore_result=True,
        task_acks_late=True,
        task_reject_on_worker_lost=True,
        worker_prefetch_multiplier=1,
        worker_hijack_root_logger=False,
        broker_connection_retry_on_startup=True,
        broker_connection_max_retries=None,
        broker_transport_options={
            "visibility_timeout": 60,
            "socket_timeout": 3,
            "socket_connect_timeout": 1,
            "retry_on_timeout": False,
        },
    )
    return made


def connection() -> redis.Redis:
    """A connection to Redis that gives up quickly."""
    return redis.Redis.from_url(os.environ["FLEET_REDIS_URL"], socket_connect_timeout=1, socket_timeout=3)


def wake(key: int) -> None:
    """Have a worker look at a job. Without Redis it is found a little later."""
    try:
        # Celery would wait for a server that is away; this tells at once.
        _shared_connection().ping()
        celery().send_task("fleet_rival.run_job", (key,), retry=False)
    except (redis.RedisError, OperationalError) as error:
        log.warning("a job's message could not be sent: %s", type(error).__name__)


def tell_events() -> None:
    """Say that there are new events. Without Redis they are found a little later."""
    try:
        _shared_connection().publish(EVENTS, "1")
    except redis.RedisError as error:
        log.warning("events could not be told: %s", type(error).__name__)


def tell_feed() -> None:
    """Say that rigs have sent something. Without Redis it is found a little later."""
    try:
        _shared_connection().publish(FEED, "1")
    except redis.RedisError as error:
        log.warning("what rigs sent could not be told of: %s", type(error).__name__)


@cache
def _shared_connection() -> redis.Redis:
    return connection()
