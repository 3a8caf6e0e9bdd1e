package bargelane.service.site;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A secret for sites, sealed under the master key. */
@Entity
@Table(name = "credential")
public class CredentialEntity {

  @Id public String id;

  public String name;

  /** token, password or key. */
  public String type = "token";

  /** Who we are with it; empty for a token. */
  public String account = "";

  public byte[] sealed;

  @Column(name = "changed_at")
  public Instant changedAt;

  /** Where it may be sent, as a list in JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String destinations = "[]";

  /** Stored with its one site, and goes with it. */
  public boolean own;
}
