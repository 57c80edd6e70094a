"""Tidewrack's two web services, and what they call: small, real, and traced as any service could be."""
