"""Plans that somebody brought, kept so that a link shows them."""
