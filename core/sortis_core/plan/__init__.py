"""Decide a batch: group, solve, deal out, explain."""

from sortis_core.plan.case import (
    Case,
    CaseUnit,
    Goal,
    OpenOrder,
    Pin,
    SalesOrder,
)
from sortis_core.plan.make import NothingToPlan, make_plan
from sortis_core.plan.result import Plan
from sortis_core.plan.solve import WishesClash

__all__ = [
    "Case",
    "CaseUnit",
    "Goal",
    "NothingToPlan",
    "OpenOrder",
    "Pin",
    "Plan",
    "SalesOrder",
    "WishesClash",
    "make_plan",
]
