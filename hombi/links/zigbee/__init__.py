"""Zigbee nodes, through a co-processor on a serial port.

frames, commands, zcl, tunnel       codecs: bytes and what they say
serial_port, processor              transport: the port, and asking over it
network, stick, radio               what is done with it: a network, keeping it up,
a word with a node
interview, exchange, replies        finding out what a node has, setting and reading it,
answering it
points, profiles, shelf, raw        what its values are, what its profile says,
and what nothing names yet
device                              a node, with all that is known of it
driver                              the link
"""
