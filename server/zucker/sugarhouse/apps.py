from django.apps import AppConfig


class SugarhouseConfig(AppConfig):
    name = "zucker.sugarhouse"
