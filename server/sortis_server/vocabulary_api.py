"""The words of the job: codes with their labels and explanations, for every screen."""

from django.http import HttpRequest
from ninja import Router

from sortis_core.vocabulary.words import Vocabulary, vocabulary

router = Router(tags=["vocabulary"])


@router.get("", response=Vocabulary)
def words(request: HttpRequest):
    """Every list of words. They change only with the version of the application."""
    return vocabulary()
