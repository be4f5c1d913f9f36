"""The application on the real database, and browsers in which somebody is signed in."""

import io
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas
from fleet_rival.api.access import COOKIE, CSRF_HEADER, csrf_token
from fleet_rival.api.app import create_app
from fleet_rival.jobs.kinds import IMPORT, KINDS, AskedImport
from fleet_rival.services.drive import importing
from fleet_rival.services.people import sign_in
from fleet_rival.services.shared import jobs
from fleet_rival.services.shared.base import Actor, Work
from fleet_rival.services.shared.lease import Kinds
from tests.conftest import example, manager_of

PLAIN = example("dirty/practice.plain.laps.csv")


class Browser(FlaskClient):
    """A client that shows the token of its pages, as they do."""

    shown: str | None = None

    def open(self, *args: Any, **kwargs: Any) -> Any:
        if self.shown:
            kwargs["headers"] = {CSRF_HEADER: self.shown, **dict(kwargs.get("headers") or {})}
        return super().open(*args, **kwargs)

    def sign_in(self, actor: Actor) -> "Browser":
        sessions = self.application.extensions["sessions"]
        with sessions.begin() as session:
            token = sign_in.start(session, actor.person_id, actor.team_id, "a test")
        self.set_cookie(COOKIE, token)
        with self.application.app_context():
            self.shown = csrf_token(token)
        return self

    def send(self, url: str, content: bytes, name: str = "x.csv", **kwargs: Any) -> Any:
        """Send a file."""
        return self.post(url, data={"file": (io.BytesIO(content), name)}, **kwargs)

    def finish(self, job: Any, kinds: Kinds = KINDS) -> Any:
        """Let a worker do a job that was begun, and look at it then."""
        assert job.status_code == 202, job.text
        sessions = self.application.extensions["sessions"]
        view = job.json.get("job") or job.json
        jobs.run(sessions, jobs.key_of(sessions, UUID(view["id"])), kinds)
        return self.get(f"/api/jobs/{view['id']}").json


Sign = Callable[[Actor | None], Browser]


@pytest.fixture(scope="session")
def pages(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What stands for the built pages."""
    folder = tmp_path_factory.mktemp("pages")
    (folder / "assets").mkdir()
    (folder / "assets" / "a.js").write_text("1")
    (folder / "index.html").write_text('<script nonce="__CSP_NONCE__" src="/assets/a.js"></script>')
    return folder


@pytest.fixture(scope="session")
def whole_app(database_url: str, pages: Path) -> Iterator[Flask]:
    """Made once: its routes take longer than a test."""
    made = create_app(database_url, pages, "a secret of the tests")
    made.test_client_class = Browser
    yield made
    made.extensions["sessions"].kw["bind"].dispose()


@pytest.fixture
def app(whole_app: Flask, sessions: sessionmaker[Session]) -> Iterator[Flask]:
    """The application on an empty database; what a test puts into its configuration goes with it."""
    config, extensions = dict(whole_app.config), dict(whole_app.extensions)
    yield whole_app
    whole_app.config.clear()
    whole_app.config.update(config)
    whole_app.extensions.clear()
    whole_app.extensions.update(extensions)


@pytest.fixture
def browser(app: Flask) -> Iterator[Sign]:
    """Opens browsers: somebody's, or one in which nobody is signed in."""
    opened: list[Browser] = []

    def open_it(actor: Actor | None = None) -> Browser:
        made = app.test_client()
        assert isinstance(made, Browser)
        opened.append(made)
        return made.sign_in(actor) if actor else made

    yield open_it


@pytest.fixture
def manager(sessions: sessionmaker[Session]) -> Actor:
    return manager_of(sessions)


@pytest.fixture
def client(browser: Sign, manager: Actor) -> Browser:
    return browser(manager)


@pytest.fixture
def combination(client: Browser) -> str:
    layout = client.send("/api/layouts", example("dirty/practice.track.json"))
    assert layout.status_code == 201
    made = client.post("/api/combinations", json={"layout_id": layout.json["id"], "car": "Cinder Truck"})
    assert made.status_code == 201
    return str(made.json["id"])


def _import_alone(sessions: sessionmaker[Session], actor: Actor, asked: AskedImport, work: Work) -> None:
    """Without computing what nobody has asked for yet."""
    importing.confirm(sessions, actor, asked.file_id, asked.wishes, work)


@pytest.fixture
def filled(client: Browser, combination: str) -> str:
    seen = client.send(f"/api/combinations/{combination}/lap-files", PLAIN, "practice.laps.csv")
    assert seen.status_code == 201
    begun = client.post(f"/api/lap-files/{seen.json['id']}/import", json={"revision": seen.json["revision"]})
    job = client.finish(begun, {"laps.import": replace(IMPORT, do=_import_alone)})
    assert (job["state"], job["result"]["added"]) == ("done", 72)
    return combination


def is_problem(answer: Any, status: int, words: str = "") -> bool:
    assert answer.status_code == status, answer.text
    assert answer.mimetype == "application/problem+json"
    body = schemas.Problem.model_validate(answer.json)
    assert body.status == status and words in body.detail and body.request_id == answer.headers["X-Request-Id"]
    return True
