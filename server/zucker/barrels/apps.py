from django.apps import AppConfig


class BarrelsConfig(AppConfig):
    name = "zucker.barrels"
