"""Wi-Fi nodes: MQTT through the hub's own door, HTTP through the API; both carry
SenML."""
