"""Shared fixtures: a PostgreSQL cluster for the run, a database for each test, the demo footage."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import hypothesis
import pytest

from tests.databases import EMPTY, Databases
from wiseglove.settings import Settings
from wiseglove.shot.warm import warm_up
from wiseglove.store.cluster import Cluster, temporary_cluster
from wiseglove.store.database import Database

hypothesis.settings.register_profile("ours", deadline=None, derandomize=True, max_examples=60)
hypothesis.settings.load_profile("ours")

ROOT = Path(__file__).resolve().parents[1]
FOOTAGE = ROOT / ".run" / "footage"
"""Rendered once by `wiseglove footage`, which `make test` calls first."""


LONGEST_FIRST = (
    "e2e/test_whole_path", "demo/test_stopping", "store/test_many_hands", "torture/test_short", "jobs/test_many_machines",
    "demo/test_panels", "e2e/test_keying", "demo/test_keyed", "api/test_fuzz", "e2e/test_sitting", "e2e/test_speed",
    "e2e/test_bending", "e2e/test_animating", "e2e/test_carriers", "e2e/test_reach", "e2e/test_shaping", "e2e/test_drawing",
    "api/test_people", "core/outline/test_silhouette", "demo/test_demo", "core/behind", "shot/test_evaluated", "core/keying",
)  # fmt: skip
"""Files that take long begin first, so that none of them runs alone in the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    def place(item: pytest.Item) -> int:
        where = item.path.relative_to(ROOT / "tests").as_posix()
        return next((i for i, name in enumerate(LONGEST_FIRST) if where.startswith(name)), len(LONGEST_FIRST))

    items.sort(key=place)


@pytest.fixture(scope="session", autouse=True)
def _compiled() -> None:
    warm_up()


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    with temporary_cluster() as cluster:
        yield cluster


@pytest.fixture(scope="session")
def databases(cluster: Cluster) -> Databases:
    return Databases(cluster)


@pytest.fixture
def template() -> str:
    """The database of which a test gets a copy."""
    return EMPTY


@pytest.fixture
def url(databases: Databases, template: str) -> Iterator[str]:
    name = databases.lend(template)
    yield databases.cluster.url(name)
    databases.take_back(name, template)


@pytest.fixture
def settings(url: str, tmp_path: Path) -> Settings:
    return settings_for(url, tmp_path / "files")


def settings_for(url: str, files: Path) -> Settings:
    made = Settings(database_url=url, files=files, page=ROOT / "web" / "dist", hosts=["testserver", "127.0.0.1"])
    made.make_folders()
    return made


@pytest.fixture
def database(settings: Settings) -> Iterator[Database]:
    database = Database(settings.database_url)
    yield database
    database.close()


@pytest.fixture(scope="session")
def footage() -> Path:
    if not (FOOTAGE / "truth" / "corners.json").exists():
        pytest.fail("The demo footage is missing. Run: .venv/bin/wiseglove footage")
    return FOOTAGE
