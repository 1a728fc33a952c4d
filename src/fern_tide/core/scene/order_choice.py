"""The orders that there are, and an order that is chosen."""

from __future__ import annotations

from typing import ClassVar

from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.scene import orders as orders_folder
from fern_tide.core.scene.ordering import Order

ORDERS = discover(orders_folder, attribute="ORDER", of=Order, kind="order")
OF_PARTS = {name: order for name, order in ORDERS.items() if not order.by_hand}
"""Those that parts which are chosen together can be put in."""


class OrderChoice(Choice):
    """An order and its params."""

    registry: ClassVar[Registry[Order]] = ORDERS
