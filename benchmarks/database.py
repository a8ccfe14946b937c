"""A database of its own for a benchmark, in the tests' cluster, with a client signed in."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent


@contextmanager
def own_database(name: str) -> Iterator[None]:
    """Django set up on a new, migrated database, which is dropped at the end."""
    reach = ["-h", "127.0.0.1", "-p", os.environ["ZUCKER_DB_PORT"], "-U", "zucker"]
    subprocess.run(["dropdb", *reach, "--if-exists", "--force", name], check=True)
    subprocess.run(["createdb", *reach, name], check=True)
    os.environ |= {"ZUCKER_DB_NAME": name, "DJANGO_SETTINGS_MODULE": "zucker.config.settings", "ZUCKER_TESTING": "1"}
    subprocess.run([sys.executable, str(ROOT / "server/manage.py"), "migrate"], check=True, capture_output=True)
    sys.path.insert(0, str(ROOT / "server"))
    import django

    django.setup()
    try:
        yield
    finally:
        from django.db import connection

        connection.close()
        subprocess.run(["dropdb", *reach, "--force", name], check=True)


def analyse() -> None:
    """Let the database look at what it holds."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def signed_in(username: str) -> Any:
    """A client of the server, in this process."""
    from django.conf import settings
    from django.test import Client
    from zucker.people.models import Person

    settings.ALLOWED_HOSTS = ["testserver"]
    client = Client()
    client.force_login(Person.objects.get(username=username), backend="django.contrib.auth.backends.ModelBackend")
    return client
