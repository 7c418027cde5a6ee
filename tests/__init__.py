from hypothesis import HealthCheck, settings

# how long a busy machine takes says nothing about the program
settings.register_profile(
    "any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("any machine")
