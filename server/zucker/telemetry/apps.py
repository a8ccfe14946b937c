from django.apps import AppConfig


class TelemetryConfig(AppConfig):
    name = "zucker.telemetry"
