"""Hold what was found on a unit against the sheet and the standards."""

from sortis_core.assess.assessor import Assessment, Assessor, StandardVerdict, assess

__all__ = ["Assessment", "Assessor", "StandardVerdict", "assess"]
