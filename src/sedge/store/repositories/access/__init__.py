"""Who gets in: organisations, sign-ins, sessions, second factors, tokens, invitations."""
