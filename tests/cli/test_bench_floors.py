"""What the bench measures against stands on the application as it is."""

from pathlib import Path

import pytest

from fleet_rival.bench.floors import with_trivial_route


def test_the_trivial_route_is_one_of_the_applications(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, database_url: str, redis_url: str
) -> None:
    body = tmp_path / "body.json"
    body.write_bytes(b"{}")
    for name, value in (
        ("FLEET_BENCH_BODY", str(body)),
        ("FLEET_DATABASE_URL", database_url),
        ("FLEET_REDIS_URL", redis_url),
        ("FLEET_SECRET", "of a test"),
    ):
        monkeypatch.setenv(name, value)
    app = with_trivial_route()
    assert "/trivial" in {rule.rule for rule in app.url_map.iter_rules()}
    assert app.test_client().get("/trivial").status_code == 401, "behind the same sign-in"
