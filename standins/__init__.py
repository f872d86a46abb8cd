"""Simulated devices and services: what a workshop has beside Sortis, for demo and tests."""
