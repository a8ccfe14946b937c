"""`manage.py bridge_mqtt SLUG`: take an operation's readings from an MQTT broker, until Ctrl-C."""

from __future__ import annotations

import signal
import sys
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....people.models import Operation
from ...mqtt import Bridge


class Command(BaseCommand):
    help = "Take readings from an MQTT broker (docs/formats.md)"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("operation")
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=1883)
        parser.add_argument("--topic", help="zucker/SLUG/readings if not given; may hold + and #")
        parser.add_argument("--user")
        parser.add_argument("--password-file")
        parser.add_argument("--tls", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        operation = Operation.objects.filter(slug=options["operation"]).first()
        if operation is None:
            raise CommandError(f"there is no operation {options['operation']!r}")
        topic = options["topic"] or f"zucker/{operation.slug}/readings"
        bridge = Bridge(operation, options["host"], options["port"], topic, f"zucker-{operation.slug}")
        if options["user"]:
            password = None
            if options["password_file"]:
                with open(options["password_file"]) as file:
                    password = file.read().strip()
            bridge.client.username_pw_set(options["user"], password)
        if options["tls"]:
            bridge.client.tls_set()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        bridge.start()
        try:
            while True:
                told = bridge.work(60.0)
                self.stdout.write(f"{told.messages} messages: {told.taken} readings taken, {told.known} known, "
                                  f"{told.refused} refused")
        except KeyboardInterrupt:
            pass
        finally:
            bridge.stop()
