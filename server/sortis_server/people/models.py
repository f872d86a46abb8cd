"""People and the roles they have."""

from django.contrib.auth.models import AbstractBaseUser, BaseUserManager
from django.db import models


class PersonManager(BaseUserManager):
    """Makes people with hashed passwords."""

    def create_person(self, username: str, name: str, roles: list[str], password: str) -> "Person":
        person = self.model(username=username, name=name, roles=roles)
        person.set_password(password)
        person.save()
        return person


class Person(AbstractBaseUser):
    """Somebody who works here; records carry their name."""

    username = models.CharField(max_length=40, unique=True)
    name = models.CharField(max_length=80)
    roles = models.JSONField(default=list)
    is_active = models.BooleanField(default=True)

    objects = PersonManager()
    USERNAME_FIELD = "username"
    REQUIRED_FIELDS = ["name"]

    def __str__(self) -> str:
        return self.name
