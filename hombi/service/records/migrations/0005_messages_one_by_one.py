from django.db import migrations


def one_by_one(apps, schema_editor):
    """What waited in a session stood in its row; each message has a row of its own now."""
    states = apps.get_model("records", "LinkState").objects
    number = 0
    for session in list(states.all()):
        waiting = [*session.state.pop("inflight", ()), *session.state.pop("waiting", ())]
        if "last_id" not in session.state:
            continue
        del session.state["last_id"]
        session.state["subscriptions"] = {
            name: options if isinstance(options, list) else [options]
            for name, options in session.state.get("subscriptions", {}).items()
        }
        session.save()
        for kept in waiting:
            number += 1
            message = [*kept[:4], kept[4] if len(kept) > 4 else {}, False]
            left = kept[5] if len(kept) > 5 else None
            states.create(key=f"message/{number:012d}/{session.key}", state={"message": message, "left": left})


class Migration(migrations.Migration):
    dependencies = [("records", "0004_arrival_link")]
    operations = [migrations.RunPython(one_by_one, migrations.RunPython.noop)]
