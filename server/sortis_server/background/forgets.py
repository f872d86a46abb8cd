"""Results of tasks, attempts to sign in, sessions that ended."""

from datetime import datetime

from axes.models import AccessAttempt, AccessFailureLog, AccessLog
from django.contrib.sessions.models import Session
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from sortis_core.forgetting import Forgotten
from sortis_server.background.terms import forgets


@forgets(Forgotten.TASKS)
def _tasks(before: datetime) -> int:
    return DBTaskResult.objects.filter(finished_at__lt=before).delete()[0]


@forgets(Forgotten.SIGN_INS)
def _sign_ins(before: datetime) -> int:
    kinds = (AccessAttempt, AccessFailureLog, AccessLog)
    gone = sum(kind.objects.filter(attempt_time__lt=before).delete()[0] for kind in kinds)
    return gone + Session.objects.filter(expire_date__lt=timezone.now()).delete()[0]
