"""Workers that do not reach the data folder of their server: inputs and results travel through the queue itself, in pieces, compressed, checked by hash.

A worker asks for inputs and offers results by events; the server brings and fetches them by calls to that worker, which go through the scheduler. So whoever
reaches the scheduler needs nothing else, and nobody without its key is part of it.
"""
