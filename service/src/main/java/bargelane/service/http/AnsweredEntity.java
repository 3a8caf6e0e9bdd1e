package bargelane.service.http;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** The answer of a write that must not happen twice. */
@Entity
@Table(name = "answered")
public class AnsweredEntity {

  @Id public String key;

  public String account;

  public String request;

  public int status;

  public String body;

  /** SHA-256 of the request's body. */
  @Column(name = "body_digest")
  public String bodyDigest;

  public Instant at;
}
