from django.apps import AppConfig


class WoodsConfig(AppConfig):
    name = "zucker.woods"
