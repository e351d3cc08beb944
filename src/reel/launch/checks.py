def run_checks(only):
    return 0
