"""Background work of notices."""

from procrastinate.contrib.django import app

from pravin_server.notices import sending

SECONDS = 5  # of sending at a time: the same worker looks into the drop folders


@app.periodic(cron="* * * * * */15")
@app.task(queue="watch", name="tell_what_waits", queueing_lock="tell_what_waits", pass_context=False)
def tell_what_waits(timestamp: int) -> None:
    """Find what waits newly, and send what is due."""
    sending.find()
    sending.send_due(seconds=SECONDS)
