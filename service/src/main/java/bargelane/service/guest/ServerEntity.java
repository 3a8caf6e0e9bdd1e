package bargelane.service.guest;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A server of a site that is a list of them. */
@Entity
@DynamicUpdate
@Table(name = "server")
public class ServerEntity {

  @Id public String id;

  @Column(name = "site_id")
  public String siteId;

  public String address;

  public int port;

  /** Fingerprints that its host key may have, parted by blanks; empty until one is approved. */
  @Column(name = "host_key")
  public String hostKey = "";

  /** The fingerprint of the host key that it showed last; empty until it showed one. */
  @Column(name = "shown_key")
  public String shownKey = "";

  /** The name of the credential that let us in last. */
  public String credential = "";

  @Column(name = "added_at")
  public Instant addedAt;

  @Column(name = "read_at")
  public Instant readAt;

  /** The finding that keeps it from being read, as JSON; null if none does. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String problem;
}
