"""Zigbee nodes, through a co-processor on a serial port.

frames, commands, zcl, datapoints   codecs: bytes and what they say
serial_port, processor              transport: the port, and asking over it
network, radio, interview           what is done with it: a network, a word with a node, finding out what a node has
points, profiles, device            what a node's values are
driver                              the link
"""
