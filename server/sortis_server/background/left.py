"""What a worker left behind when it was killed goes on; what cannot is told where it is seen."""

from collections.abc import Callable

from django.db import transaction
from django_tasks import TaskResult, TaskResultStatus
from django_tasks.base import Task
from django_tasks_db.models import DBTaskResult

TRIES = 3
"""So often is a task begun: one that ends its worker each time would hold everything else up."""
UNEXPECTED = (
    "Something that nobody foresaw ended this; nothing of it was kept. Try again. What it was "
    "stands in the worker's log."
)
LEFT = f"The worker ended {TRIES} times at this; nothing of it was kept. Try again with less."

GiveUp = Callable[[int, str], None]
"""Write into a row, by its number, the sentence why no worker goes on with it."""
_GIVING_UP: dict[str, GiveUp] = {}


def gives_up(task: Task) -> Callable[[GiveUp], GiveUp]:
    """Name what tells that a task of one row did not come to its end."""

    def named(told: GiveUp) -> GiveUp:
        _GIVING_UP[task.module_path] = told
        return told

    return named


def tell_failed(sender: type, task_result: TaskResult, **_: object) -> None:
    """A task raised what it does not refuse with a sentence of its own."""
    if task_result.status == TaskResultStatus.FAILED:
        _tell(task_result.task.module_path, task_result.args, UNEXPECTED)


def take_up_again(worker: str) -> int:
    """Let go on what a worker of this name had begun; only one of a name runs at a time.

    :returns: how many tasks go on.
    """
    begun = [one for one in DBTaskResult.objects.running() if one.worker_ids[-1:] == [worker]]
    return sum(take_up(one, worker) for one in begun)


def take_up(found: DBTaskResult, worker: str) -> bool:
    """Let one task go on that a worker left, or tell why not; nothing where it is another's now.

    :returns: whether it goes on.
    """
    with transaction.atomic():
        left = DBTaskResult.objects.select_for_update().filter(pk=found.pk).first()
        if (
            left is None
            or left.status != TaskResultStatus.RUNNING
            or (left.worker_ids or [""])[-1] != worker
        ):
            return False
        if len(left.worker_ids) >= TRIES:
            left.set_failed(RuntimeError(LEFT))
            _tell(left.task_path, left.args_kwargs["args"], LEFT)
            return False
        left.status, left.started_at = TaskResultStatus.READY, None
        left.save(update_fields=["status", "started_at"])
        return True


def _tell(path: str, args: list, sentence: str) -> None:
    told = _GIVING_UP.get(path)
    if told is not None and args:
        told(args[0], sentence)
