"""What both databases of the benchmarks begin with: a person, the workshop, its sheets and stock.

Imported once Django is set up.
"""

from bench._page import PASSWORD
from demo.generator import demo_sheets, demo_standards, workshop_settings
from demo.load import load_stock
from sortis_core.vocabulary.states import Role
from sortis_server.people.models import Person
from sortis_server.sheets.services import add_sheet
from sortis_server.workshop.services import add_standard, set_up_workshop


def furnish() -> Person:
    """The demo's workshop without batches; the one person of it, with every role."""
    marit = Person.objects.create_person(
        "marit", "Marit Dohl", [role.value for role in Role], PASSWORD
    )
    set_up_workshop(workshop_settings())
    for sheet in demo_sheets():
        add_sheet(sheet)
    for standard in demo_standards():
        add_standard(standard)
    load_stock(marit)
    return marit
