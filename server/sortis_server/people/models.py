"""People and the roles they have."""

from django.contrib.auth.models import AbstractBaseUser, BaseUserManager
from django.db import models
from django.utils.crypto import salted_hmac


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
    """False once somebody left; what they did keeps their name."""
    away_until = models.DateField(null=True)
    """Not at a bench up to and with this day."""
    sign_ins = models.PositiveIntegerField(default=0)
    """Counts up when somebody signs out everywhere: sessions of before end."""
    second_secret = models.CharField(max_length=64, blank=True)
    """Of the application that tells a second number; empty without one."""

    objects = PersonManager()
    USERNAME_FIELD = "username"
    REQUIRED_FIELDS = ["name"]

    def __str__(self) -> str:
        return self.name

    def get_session_auth_hash(self) -> str:
        """Of the password and of when they last signed out everywhere."""
        told = f"{self.password} {self.sign_ins} {self.is_active}"
        return salted_hmac("sortis_server.people", told, algorithm="sha256").hexdigest()


class Invitation(models.Model):
    """A link by which somebody gets a name and a password of their own, once."""

    digest = models.CharField(max_length=64, unique=True)
    """Of the link; the link itself is nowhere kept."""
    name = models.CharField(max_length=80)
    roles = models.JSONField(default=list)
    by = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="invited")
    at = models.DateTimeField(auto_now_add=True)
    again = models.ForeignKey(Person, on_delete=models.CASCADE, null=True, related_name="+")
    """For somebody who is here already and lost the password."""
    joined = models.OneToOneField(
        Person, on_delete=models.CASCADE, null=True, related_name="came_by"
    )

    def __str__(self) -> str:
        return self.name
