"""Passwords that are hashed quickly, in hubs that are forked for tests: each sign-in
would cost a third of a second otherwise. How hard they are to guess is Django's
default."""

from django.contrib.auth.hashers import ScryptPasswordHasher

ScryptPasswordHasher.work_factor = 2**6
