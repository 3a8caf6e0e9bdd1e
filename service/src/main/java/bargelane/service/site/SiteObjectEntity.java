package bargelane.service.site;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** Something of ours at a site, recorded before it is made. */
@Entity
@Table(name = "site_object")
public class SiteObjectEntity {

  @Id public String id;

  @Column(name = "site_id")
  public String siteId;

  /** Null for what is no tow's. */
  @Column(name = "tow_id")
  public String towId;

  public String kind;

  public String name;

  public String owner;

  public boolean wanted;

  @Column(name = "recorded_at")
  public Instant recordedAt;

  public String problem;

  /** The node that removes it, or did last. */
  @Column(name = "removing_by")
  public String removingBy = "";

  /** Until when nobody else does; null where nobody does. */
  @Column(name = "removing_until")
  public Instant removingUntil;
}
