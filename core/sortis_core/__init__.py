"""The rules of the job: what a machine can hold, what is short, what to fit, in which order.

Pure Python: nothing here knows of a web server, a database or a screen.
"""
