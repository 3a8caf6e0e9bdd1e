package bargelane.service.account;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.Immutable;

/** One entry of the audit; never changed. */
@Entity
@Immutable
@Table(name = "audit")
public class AuditEntity {

  @Id public long id;

  public Instant at;

  public String account;

  /** Id of the session or token. */
  public String token;

  public String address;

  public String method;

  public String path;

  /** What stood there, as far as it was to be changed; empty if nothing did. */
  public String before;

  /** The body without its secrets. */
  public String asked;

  /** 0 of what was asked; otherwise the status of the answer. */
  public int status;

  public String code;

  /** The entry of what was asked that this is the refusal of. */
  @Column(name = "entry")
  public Long of;

  public String digest;
}
