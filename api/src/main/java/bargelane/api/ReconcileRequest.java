package bargelane.api;

/** Brings two diverged sides together. Without {@code keep} only measures. */
public record ReconcileRequest(String keep, String confirm) {}
