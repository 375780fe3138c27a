"""The bare counterpart at a broker: a paho subscriber that parses each message,
acknowledges it, and does nothing else.

python -m bench.subscriber PORT USER PASSWORD TOPIC     prints "Ready",
then how many it has heard, and when
"""

from __future__ import annotations

import json
import sys
import threading
import time
from collections import deque
from typing import Any

import paho.mqtt.client as paho

QUIET_TURNS = 500  # ten seconds: nothing more will come


def main(port: int, user: str, password: str, topic: str) -> None:
    queue: deque[paho.MQTTMessage] = deque()
    ready = threading.Event()
    client = paho.Client(
        paho.CallbackAPIVersion.VERSION2, "bare", clean_session=True, manual_ack=True
    )
    client.username_pw_set(user, password)
    client.max_inflight_messages_set(1000)
    client.on_message = lambda c, u, message: queue.append(message)
    client.on_connect = lambda c, *_: c.subscribe(topic, qos=1)
    client.on_subscribe = lambda *_: ready.set()
    client.connect("127.0.0.1", port)
    client.loop_start()
    ready.wait(10)
    print("Ready", flush=True)
    heard, quiet = 0, 0
    while quiet < QUIET_TURNS:
        if not queue:
            time.sleep(0.02)
            quiet += 1
            continue
        quiet = 0
        while queue:
            message = queue.popleft()
            _value(message)
            client.ack(message.mid, message.qos)
            heard += 1
        print(heard, time.time(), flush=True)


def _value(message: paho.MQTTMessage) -> Any:
    return json.loads(message.payload)["value"]


if __name__ == "__main__":
    main(int(sys.argv[1]), sys.argv[2], sys.argv[3], sys.argv[4])
