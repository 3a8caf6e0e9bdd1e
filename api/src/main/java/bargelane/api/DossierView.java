package bargelane.api;

import java.time.Instant;

/** The record of a finished move. */
public record DossierView(
    String id, String kind, String wave, String run, Instant at, Object record) {}
