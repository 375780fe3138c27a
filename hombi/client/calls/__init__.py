"""Every call that the hub takes, as a value: what to send, and what the answer is. One
module a noun; the one core of both clients, which take names, arguments and texts from
here."""
