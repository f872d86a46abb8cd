"""Decide a batch: group, solve, deal out, explain."""

from sortis_core.plan.case import (
    Case,
    CaseUnit,
    Goal,
    Pin,
    Released,
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
    "Pin",
    "Plan",
    "Released",
    "SalesOrder",
    "WishesClash",
    "make_plan",
]
